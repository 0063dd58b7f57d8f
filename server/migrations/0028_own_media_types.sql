-- What a file is stands with whoever brought it: two who bring the same bytes under other names learn nothing of each other.
alter table arrival add column media_type text;
update arrival a set media_type = c.media_type from content c where c.id = a.content_id;
alter table arrival alter column media_type set not null;

alter table version add column media_type text;
alter table version disable trigger user;
update version v set media_type = c.media_type from content c where c.id = v.content_id;
alter table version enable trigger user;
alter table version alter column media_type set not null;

alter table content drop column media_type;
