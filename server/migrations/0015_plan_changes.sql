-- What the plan says of its places, and how it changes: notes both ways, a message for depositors, retirement, former codes.

alter table place add not_here text not null default '', add message text not null default '', add retired_on date;

-- Codes that places had before; they still lead there. A folder's code is former within the place it was in.
create table former_code (
  place_id uuid not null references place,
  code text not null,
  parent_id uuid references place,
  until date not null,
  primary key (place_id, code)
);
create index former_code_code on former_code (code);
grant select, insert, update, delete on former_code to cellar_app;
