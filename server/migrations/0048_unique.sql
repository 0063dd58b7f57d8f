-- Unique values are compared without case, and with one space for many (fold_value in functions/common.sql). Where two of before are one by that, the
-- first stays claimed and both records stay as they are.
create temporary table folded on commit drop as
select distinct on (record_type, fact, folded) record_type, fact, folded as value, record_id
from (
  select *, lower(btrim(regexp_replace(normalize(value, NFC), '[\s\u00a0\u1680\u2000-\u200a\u202f\u205f\u3000]+', ' ', 'g'))) as folded from fact_value
) f order by record_type, fact, folded, record_id;
delete from fact_value;
insert into fact_value (record_type, fact, value, record_id) select record_type, fact, value, record_id from folded;
