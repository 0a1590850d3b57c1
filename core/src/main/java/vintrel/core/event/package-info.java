/**
 * Log records, many at once. {@link vintrel.core.event.EventBlock} keeps thousands of them as
 * bytes: times, levels and labels apart from texts and fields, so that a count never unpacks the
 * texts. {@link vintrel.core.event.RecordFilter} is a condition made ready for blocks: what level
 * and labels decide is decided once for each set of labels, and only the rest looks at texts and
 * fields. {@link vintrel.core.event.Records} is what both a block and a plain list of records are.
 */
package vintrel.core.event;
