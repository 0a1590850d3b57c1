-- How often a dashboard was opened on a day, by anybody; the day is in UTC, from the epoch.
create table dashboard_opening (
  dashboard varchar(80) not null,
  epoch_day bigint not null,
  openings int not null,
  primary key (dashboard, epoch_day)
);
