-- Detectors look into office documents from now on: those that were filed before are looked at once more.
insert into detection_due (record_id)
select r.id from record r
join version v on v.record_id = r.id and v.no = r.version_no
join content c on c.id = v.content_id
where r.state <> 'disposed' and (c.media_type like 'application/vnd.openxmlformats-officedocument.%' or c.media_type like 'application/vnd.oasis.opendocument.%')
  and exists (select from detector where retired_on is null)
on conflict (record_id) do update set stamp = nextval('detection_stamp'), claimed_until = null;
