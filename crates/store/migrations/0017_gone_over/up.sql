-- What an access key allows is named as the commands and the interface name it.
alter table keys drop constraint keys_may_check;
update keys set may = array_replace(array_replace(may, 'plan', 'dry_run'), 'apply', 'transfer');
alter table keys add constraint keys_may_check
    check (cardinality(may) > 0 and may <@ array['look', 'dry_run', 'transfer', 'routes']);

-- What the person who saved a version says of it.
alter table route_versions add column note text not null default '' check (length(note) <= 500);

-- Decisions about a plan, the latest last, so that each can be undone.
create table decision_steps (
    plan_id uuid not null references plans on delete cascade,
    step integer not null,
    made_at timestamptz not null default now(),
    primary key (plan_id, step)
);
-- What a step changed, as it was before.
create table decided_before (
    plan_id uuid not null,
    step integer not null,
    seq integer not null,
    included boolean not null,
    decision jsonb not null,
    refusals jsonb not null,
    open integer not null,
    primary key (plan_id, step, seq),
    foreign key (plan_id, step) references decision_steps on delete cascade
);

-- A page of the ledger of one transfer, in its order.
create index losses_in_order on losses (job_id, lane, left_key, left_id, field, n);
drop index losses_of_job;

-- Fields in conflict that nobody has decided yet, beside those that the dry run found. Of plans that were made before, a
-- field counts as decided if a person decided about it.
alter table changes add column open integer not null default 0;
update changes set open = greatest(0, conflicts - (
    select count(*)::integer from jsonb_each_text(coalesce(decision -> 'fields', '{}')) f where f.value <> 'leave'
)) where conflicts > 0 and not coalesce((decision ->> 'as_new')::boolean, false);

-- Items and fields are told apart: how many changes have open conflicts, and how many fields these are.
alter table plan_counts add column in_conflict bigint not null default 0;
alter table plan_counts add column open bigint not null default 0;

create or replace function count_changes() returns trigger language plpgsql as $$
begin
    -- In one order, so that two who count the same plan wait for each other and don't block each other.
    if tg_op = 'INSERT' then
        insert into plan_counts as c
        select plan_id, outcome, kind, included, count(*), count(*) filter (where losses > 0), sum(conflicts),
            count(*) filter (where included and refusals <> '[]'::jsonb), count(*) filter (where open > 0), sum(open)
        from later group by 1, 2, 3, 4 order by 1, 2, 3, 4
        on conflict (plan_id, outcome, kind, included) do update set
            count = c.count + excluded.count, with_losses = c.with_losses + excluded.with_losses,
            conflicts = c.conflicts + excluded.conflicts, refused = c.refused + excluded.refused,
            in_conflict = c.in_conflict + excluded.in_conflict, open = c.open + excluded.open;
    else
        insert into plan_counts as c
        select plan_id, outcome, kind, included, n, with_losses, conflicts, refused, in_conflict, open
        from (
            select plan_id, outcome, kind, included, sum(n) as n,
                coalesce(sum(n) filter (where losses > 0), 0) as with_losses,
                sum(n * conflicts) as conflicts,
                coalesce(sum(n) filter (where included and refusals <> '[]'::jsonb), 0) as refused,
                coalesce(sum(n) filter (where open > 0), 0) as in_conflict,
                sum(n * open) as open
            from (
                select 1 as n, plan_id, outcome, kind, included, losses, conflicts, refusals, open from later
                union all
                select -1, plan_id, outcome, kind, included, losses, conflicts, refusals, open from earlier
            ) changed
            group by 1, 2, 3, 4
        ) summed
        where n <> 0 or with_losses <> 0 or conflicts <> 0 or refused <> 0 or in_conflict <> 0 or open <> 0
        order by 1, 2, 3, 4
        on conflict (plan_id, outcome, kind, included) do update set
            count = c.count + excluded.count, with_losses = c.with_losses + excluded.with_losses,
            conflicts = c.conflicts + excluded.conflicts, refused = c.refused + excluded.refused,
            in_conflict = c.in_conflict + excluded.in_conflict, open = c.open + excluded.open;
    end if;
    return null;
end $$;

update plan_counts p set (in_conflict, open) = (
    select count(*) filter (where c.open > 0), coalesce(sum(c.open), 0) from changes c
    where c.plan_id = p.plan_id and c.outcome = p.outcome and c.kind = p.kind and c.included = p.included
);
