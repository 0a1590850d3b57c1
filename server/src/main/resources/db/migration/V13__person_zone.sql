-- The time zone that a person chose; without a row it is that of her browser.
create table person_zone (
  person varchar(200) primary key,
  zone varchar(80) not null
);
