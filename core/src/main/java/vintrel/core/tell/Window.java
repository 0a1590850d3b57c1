package vintrel.core.tell;

import vintrel.core.series.Condition;

/**
 * Planned work, in which alerts notify nobody.
 *
 * @param title what people read
 * @param whenText the condition as it was written; empty: all labels of the rows that name it
 * @param critical whether critical alerts are hushed too
 */
public record Window(
    String name,
    String title,
    Condition when,
    String whenText,
    Schedule schedule,
    boolean critical) {}
