-- What is told is kept as the message that it is, and becomes a sentence where somebody reads it. Sentences of before stay as they were.
alter table batch_item alter column reason type jsonb
  using case when reason is null then null else jsonb_build_object('say', 'shared.asIs', 'with', jsonb_build_object('text', reason)) end;

alter table job_progress add column told jsonb;
update job_progress set told = jsonb_build_object('say', 'shared.asIs', 'with', jsonb_build_object('text', sentence)) where sentence <> '';
alter table job_progress drop column sentence;

-- What was changed of a file name, by what it is called.
update arrival set changed = array(
  select case part
    when 'the path was left out' then 'path'
    when 'control characters were left out' then 'controls'
    when 'it had no usable name' then 'unnamed'
    when 'the name was shortened' then 'shortened'
    else part end
  from unnest(changed) part)
 where changed <> '{}';

-- Why a hold covers a record, by what it is called.
update hold_cover set because = case because
  when 'listed' then 'listed' when 'listed later' then 'listedLater' when 'matches its criteria' then 'matches' else because end;
