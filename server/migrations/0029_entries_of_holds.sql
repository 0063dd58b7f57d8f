-- Letting out says which records it let out, and enters it on each; the function is made anew in functions/holds.sql.
drop function if exists uncover(uuid, uuid[], uuid, text);
