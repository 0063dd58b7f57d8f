-- Of which groups the people must be who approve a batch; none: of any.
alter table batch add column approver_groups text[] not null default '{}';
