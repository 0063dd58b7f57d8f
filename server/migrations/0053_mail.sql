-- Mail that leaves (docs/decisions/0050-mail.md). Its times are real ones, whatever the clock of a demo says.
create table mail (
  id uuid primary key,
  to_id uuid not null references principal,
  address text not null,
  kind text not null,
  message_id uuid references message,
  subject text not null,
  -- Gone once it has left: they may hold a link that works.
  body text,
  html text,
  state text not null default 'waiting' check (state in ('waiting', 'sending', 'sent', 'refused', 'uncertain')),
  tries integer not null default 0,
  queued_at timestamptz not null default now(),
  next_at timestamptz not null default now(),
  claimed_at timestamptz,
  ended_at timestamptz,
  -- What the other side said.
  problem text
);
create index mail_waiting on mail (next_at) where state in ('waiting', 'sending');
create index mail_queued on mail (queued_at desc);
create index mail_message on mail (message_id) where message_id is not null;
-- What a person wants of which kind by mail; what is not here comes at once.
create table mail_choice (
  principal_id uuid not null references principal,
  kind text not null,
  how text not null check (how in ('now', 'daily', 'never')),
  primary key (principal_id, kind)
);
-- Messages that go with the others of the day.
create table digest_due (
  message_id uuid primary key references message,
  principal_id uuid not null references principal
);
grant select, insert, update, delete on mail, mail_choice, digest_due to cellar_app;
