-- A mail that had left may come back (docs/decisions/0050-mail.md).
alter table mail drop constraint mail_state_check;
alter table mail add check (state in ('waiting', 'sending', 'sent', 'refused', 'uncertain', 'returned'));
