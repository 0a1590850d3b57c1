alter table chunk add column typical_interval bigint default 0 not null;
