-- Labels that a token adds to what is sent with it: name=value, with commas.
alter table token add column labels varchar(4000) default '' not null;
