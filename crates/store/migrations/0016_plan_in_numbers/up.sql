-- A plan in numbers is asked for with every overview, by every page that is open: it is counted as changes are written, and
-- not when somebody looks. The database counts itself, so that nothing that writes changes can forget to.
create table plan_counts (
    plan_id uuid not null references plans on delete cascade,
    outcome text not null,
    kind text not null,
    included boolean not null,
    count bigint not null,
    with_losses bigint not null,
    conflicts bigint not null,
    refused bigint not null,
    primary key (plan_id, outcome, kind, included)
);

create function count_changes() returns trigger language plpgsql as $$
begin
    -- In one order, so that two who count the same plan wait for each other and don't block each other.
    if tg_op = 'INSERT' then
        insert into plan_counts as c
        select plan_id, outcome, kind, included, count(*), count(*) filter (where losses > 0), sum(conflicts),
            count(*) filter (where included and refusals <> '[]'::jsonb)
        from later group by 1, 2, 3, 4 order by 1, 2, 3, 4
        on conflict (plan_id, outcome, kind, included) do update set
            count = c.count + excluded.count, with_losses = c.with_losses + excluded.with_losses,
            conflicts = c.conflicts + excluded.conflicts, refused = c.refused + excluded.refused;
    else
        insert into plan_counts as c
        select plan_id, outcome, kind, included, sum(n), coalesce(sum(n) filter (where losses > 0), 0),
            sum(n * conflicts), coalesce(sum(n) filter (where included and refusals <> '[]'::jsonb), 0)
        from (
            select 1 as n, plan_id, outcome, kind, included, losses, conflicts, refusals from later
            union all
            select -1, plan_id, outcome, kind, included, losses, conflicts, refusals from earlier
        ) changed
        group by 1, 2, 3, 4
        having sum(n) <> 0 or sum(n * conflicts) <> 0 or coalesce(sum(n) filter (where losses > 0), 0) <> 0
            or coalesce(sum(n) filter (where included and refusals <> '[]'::jsonb), 0) <> 0
        order by 1, 2, 3, 4
        on conflict (plan_id, outcome, kind, included) do update set
            count = c.count + excluded.count, with_losses = c.with_losses + excluded.with_losses,
            conflicts = c.conflicts + excluded.conflicts, refused = c.refused + excluded.refused;
    end if;
    return null;
end $$;

create trigger changes_made after insert on changes referencing new table as later
    for each statement execute function count_changes();
create trigger changes_decided after update on changes referencing old table as earlier new table as later
    for each statement execute function count_changes();

insert into plan_counts
select plan_id, outcome, kind, included, count(*), count(*) filter (where losses > 0), sum(conflicts),
    count(*) filter (where included and refusals <> '[]'::jsonb)
from changes group by 1, 2, 3, 4;

-- The numbers say how many there are, and which fields a plan is about is known when it is made.
alter table plans drop column told;
alter table plans add column fields text[] not null default '{}';
update plans p set fields = coalesce(
    (select array_agg(distinct name collate "C" order by name collate "C")
     from changes c, unnest(c.field_names) name where c.plan_id = p.id and c.outcome <> 'in_step'), '{}');

-- The newest jobs of all, for the overview.
create index jobs_newest on jobs (created_at desc);
