-- Raw chunks up to this id were written by flushes that are complete; null means all were.
alter table journal_mark add column chunk bigint;
