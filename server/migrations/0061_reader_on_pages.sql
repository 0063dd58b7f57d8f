-- Pages shown from a place, and from all that is in it, bear the name of whoever reads them.
alter table place add column reader_on_pages boolean not null default false;
