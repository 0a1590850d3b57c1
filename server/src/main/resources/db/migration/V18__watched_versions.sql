-- Several servers may write the state of a series: the one that read it last may.
alter table watched_series add column version integer default 0 not null;
-- Since when the query of its rule fails; 0: it does not.
alter table watched_series add column fault_since bigint default 0 not null;
-- Whether the active alert was raised since there was no value.
alter table watched_series add column by_absence boolean default false not null;
