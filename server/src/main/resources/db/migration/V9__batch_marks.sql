-- The last numbered request of log records that was taken of each sender, kept with its records.
create table batch_mark (
  sender varchar(300) primary key,
  last varchar(100) not null,
  at bigint not null
);
