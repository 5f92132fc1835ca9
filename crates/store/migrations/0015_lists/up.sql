-- Lists look at many rows and show few. So what lists are searched and put in order by stands by itself in a row, and what
-- an item says is kept aside; one column holds what a part of is looked for, in small letters.
alter table artefacts
    alter column title set storage main,
    alter column key set storage main,
    alter column path set storage main,
    set (toast_tuple_target = 256);
drop index artefacts_by_part;
alter table artefacts
    add column named text not null generated always as (lower(title || E'\n' || key || E'\n' || path)) stored;
alter table artefacts alter column named set storage main;
create index artefacts_by_part on artefacts using gin (named gin_trgm_ops);
create index artefacts_by_key on artefacts (lower(key));

alter table changes
    alter column title set storage main,
    alter column left_key set storage main,
    alter column right_key set storage main,
    alter column brief set storage main,
    set (toast_tuple_target = 512);
alter table changes
    add column named text not null generated always as (lower(title || E'\n' || left_key || E'\n' || right_key)) stored;
alter table changes alter column named set storage main;
create index changes_by_part on changes using gin (named gin_trgm_ops);

-- Counting the changes of a plan by outcome and kind looks into no row.
drop index changes_by_outcome;
create index changes_by_outcome on changes (plan_id, outcome, kind, seq);
create index changes_with_losses on changes (plan_id, seq) where losses > 0;
create index changes_left_out on changes (plan_id, seq) where not included;
-- How many changes of a plan are told of: those that only move a base are not.
alter table plans add column told integer not null default 0;
update plans p set told = (select count(*) from changes c where c.plan_id = p.id and c.outcome <> 'in_step');
