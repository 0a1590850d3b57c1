/**
 * What a query must read and may cost, and what passes between its steps.
 *
 * <p>{@link vintrel.core.query.plan.Traits} lists what each step needs, {@link
 * vintrel.core.query.plan.InputRange} derives the range that each part covers, {@link
 * vintrel.core.query.plan.TierChoice} picks the tier that is read and {@link
 * vintrel.core.query.plan.BucketReuse} the buckets that need not be. A {@link
 * vintrel.core.query.plan.SeriesSet} is what one step passes to the next. Nothing here reads.
 */
package vintrel.core.query.plan;
