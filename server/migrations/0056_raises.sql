-- Asking for more than one may do at a place, for some days (docs/semantics.md 9.13).
create table raise (
  id uuid primary key,
  asker_id uuid not null references principal,
  place_id uuid not null references place,
  profile text not null,
  -- The last day that is asked for; when approved, of what was given.
  until date not null,
  reason text not null,
  asked_at timestamptz not null default repository_now(),
  state text not null default 'open' check (state in ('open', 'approved', 'refused', 'withdrawn')),
  decided_by uuid references principal,
  decided_at timestamptz,
  note text not null default '',
  check ((state = 'open') = (decided_at is null)),
  -- Nobody decides on what they asked for themselves; withdrawing is for who asked.
  check (state not in ('approved', 'refused') or decided_by <> asker_id),
  check (state <> 'withdrawn' or decided_by = asker_id)
);
create unique index raise_open on raise (asker_id, place_id, profile) where state = 'open';
create index raise_asker on raise (asker_id, asked_at desc);
create index raise_place on raise (place_id);
grant select, insert on raise to cellar_app;
grant update (state, until, decided_by, decided_at, note) on raise to cellar_app;
