-- Time stamps (RFC 3161) on signed tree heads: proof by somebody else that the tree was as large by then.
create table head_stamp (
  size bigint primary key references tree_head,
  token bytea not null,
  stamped_at timestamptz not null,
  authority text not null
);
create trigger head_stamp_fixed before update or delete on head_stamp
  for each row execute function refuse_change('a time stamp never changes');

grant select, insert on head_stamp to cellar_app;
