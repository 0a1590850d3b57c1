-- What senders say of the resources that their samples come from.
create table resource_note (
  id varchar(64) primary key,
  store varchar(40) not null,
  labels varchar(16000) not null,
  aside varchar(16000) not null,
  first_at bigint not null,
  last_at bigint not null
);
