-- Rounds in which those who give access say of each grant whether it is still needed (docs/semantics.md 9.16).
create table access_review (
  id uuid primary key,
  title text not null check (title <> ''),
  -- What lies in this place, itself included.
  place_id uuid not null references place,
  due_on date not null,
  -- Whether what nobody confirmed by then ends.
  ends_unconfirmed boolean not null,
  made_by uuid not null references principal,
  made_on date not null,
  reminded_on date,
  closed_on date
);
grant select, insert on access_review to cellar_app;
grant update (reminded_on, closed_on) on access_review to cellar_app;

-- A grant as it was when the round began. What was answered stays as it was answered (guard_review_line).
create table access_review_line (
  id uuid primary key,
  review_id uuid not null references access_review,
  grant_id uuid not null,
  principal_id uuid not null references principal,
  place_id uuid not null references place,
  record_id uuid references record,
  profile text not null,
  from_on date,
  until_on date,
  answer text check (answer in ('kept', 'ended', 'not confirmed')),
  answered_by uuid references principal,
  answered_on date,
  note text not null default '',
  unique (review_id, grant_id),
  check ((answer is null) = (answered_on is null)),
  -- By itself a grant only ends, when nobody confirmed it.
  check ((answer is distinct from 'not confirmed') = (answered_by is not null) or answer is null),
  -- Nobody confirms what they have themselves.
  check (answered_by is distinct from principal_id)
);
create index access_review_line_review on access_review_line (review_id);
create index access_review_line_grant on access_review_line (grant_id);
grant select, insert on access_review_line to cellar_app;
grant update (answer, answered_by, answered_on, note) on access_review_line to cellar_app;
