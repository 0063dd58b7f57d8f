-- What did not arrive, of which whoever looks after mail is told.
create index mail_not_arrived on mail (ended_at) where state in ('refused', 'uncertain', 'returned');
