-- Which dashboards a person has opened, when, and which she has marked with a star.
create table dashboard_use (
  person varchar(200) not null,
  dashboard varchar(80) not null,
  starred boolean default false not null,
  opened_at bigint default 0 not null,
  primary key (person, dashboard)
);
