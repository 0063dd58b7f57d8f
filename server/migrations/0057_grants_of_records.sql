-- Who was given what on one record is asked at each change of its access, and on its page.
create index grant_record on grant_ (record_id) where record_id is not null;
