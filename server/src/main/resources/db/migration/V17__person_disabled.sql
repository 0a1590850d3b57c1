-- Whoever is disabled can't sign in; what she made stays hers.
alter table person add column disabled boolean default false not null;
