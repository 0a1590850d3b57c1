/**
 * Collecting, as far as it is computation: when a source is late ({@link
 * vintrel.core.collect.Pace}), how much a sender may send ({@link vintrel.core.collect.RateLimit}),
 * what happens to labels on the way in ({@link vintrel.core.collect.LabelRewrite}), when jobs run
 * ({@link vintrel.core.collect.JobTiming}), and whether a check passes ({@link
 * vintrel.core.collect.Check}). Nothing here opens a connection or asks for the time.
 */
package vintrel.core.collect;
