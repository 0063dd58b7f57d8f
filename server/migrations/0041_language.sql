-- The language that a person chose for the interface and for what is sent to them; null: as their browser asks.
alter table principal add column language text check (language ~ '^[a-z]{2}$');
