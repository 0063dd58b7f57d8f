-- What a bag holds, so that a receipt is compared with all of it.
alter table transfer add column payload_oxum text;
alter table transfer add column files integer;
