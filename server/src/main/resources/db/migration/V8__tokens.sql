-- What a token may do, from where, how long and how much; who used it last.
alter table token add column rights varchar(100) default '' not null;
alter table token add column networks varchar(1000) default '' not null;
alter table token add column expires_at bigint default 0 not null;
alter table token add column max_samples int default 0 not null;
alter table token add column max_series int default 0 not null;
alter table token add column used_at bigint default 0 not null;
alter table token add column used_from varchar(64) default '' not null;
alter table token add column rotated boolean default false not null;
update token set rights = case scope
  when 'INGEST' then 'METRICS,EVENTS'
  when 'READ' then 'READ'
  else 'METRICS,EVENTS,READ,DEFINE' end;
alter table token drop column scope;
