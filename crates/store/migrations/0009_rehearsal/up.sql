-- What the target would not take of a change, as the rehearsal found it.
alter table changes add column refusals jsonb not null default '[]';
create index changes_refused on changes (plan_id, seq) where refusals <> '[]'::jsonb;
