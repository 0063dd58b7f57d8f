-- Records of a batch go together, all or none; lock_to_dispose() takes as many.
drop function if exists dispose_record(uuid, uuid, date);
-- Criteria of all open holds are asked in one statement.
drop function if exists records_matching(uuid, text, jsonb, uuid[]);
