package vintrel.core.tell;

import vintrel.core.series.Condition;

/**
 * Alerts that notify nobody for a while. They go on being evaluated.
 *
 * @param alert the only alert that it is for; empty: all that meet the condition
 * @param whenText the condition as it was written
 * @param author who made it
 * @param from ms, inclusive
 * @param until ms, exclusive
 * @param critical whether critical alerts are shelved too
 */
public record Shelf(
    long id,
    String alert,
    Condition when,
    String whenText,
    String reason,
    String author,
    long from,
    long until,
    boolean critical) {}
