create table secret (
  id varchar(16) primary key,
  hidden varchar(8000) not null
);
alter table outside_store add column accepted boolean default false not null;
