-- What servers remember of the plan they ask for anew once somebody has changed it. Writers only append, and wait for nobody.
insert into epoch (name) values ('plan');
create table plan_note (noted_at timestamptz not null default clock_timestamp());
grant select on plan_note to cellar_app;
