-- Who saved the draft of a rule last, and when.
alter table rule add column draft_by uuid references principal;
alter table rule add column draft_at timestamptz;
