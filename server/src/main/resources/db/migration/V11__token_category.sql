-- What sends with a token, so that Collect lists it among its like; empty: told by how it sends.
alter table token add column category varchar(20) default '' not null;
