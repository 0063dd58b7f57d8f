-- A declaration is revoked: revoke_declaration() (functions/records.sql) takes the place of the function of the old name.
drop function undeclare_record(uuid, uuid, text);
