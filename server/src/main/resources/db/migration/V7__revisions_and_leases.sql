-- Versions of definitions; the text is null where the version is a deletion.
create table definition_revision (
  kind varchar(40) not null,
  name varchar(80) not null,
  version int not null,
  at bigint not null,
  changed_by varchar(200) not null,
  origin varchar(16) not null,
  text varchar(1000000),
  primary key (kind, name, version)
);
insert into definition_revision (kind, name, version, at, changed_by, origin, text)
  select kind, name, version, changed_at, changed_by, 'file', text from definition;

-- Jobs that one of several servers does at a time.
create table lease (
  name varchar(200) primary key,
  owner varchar(100) not null,
  held_until bigint not null
);
