-- What a transfer costs is a sum over what is included now, and not what the dry run began with: it is counted with the
-- plan's other numbers.
alter table changes add column links_back boolean not null default false;
alter table plan_counts add column right_calls double precision not null default 0;
alter table plan_counts add column left_calls double precision not null default 0;
alter table plan_counts add column links_back bigint not null default 0;

-- A decision changes what a change costs; undoing it brings the cost back.
alter table decided_before add column right_calls double precision not null default 0;
alter table decided_before add column left_calls double precision not null default 0;
update decided_before b set right_calls = c.right_calls, left_calls = c.left_calls
    from changes c where c.plan_id = b.plan_id and c.seq = b.seq;

-- A pair that is let go gets no link.
create function gets_link(links_back boolean, decision jsonb) returns boolean language sql immutable as
    'select links_back and not coalesce((decision ->> ''let_go'')::boolean, false)';

create or replace function count_changes() returns trigger language plpgsql as $$
begin
    -- In one order, so that two who count the same plan wait for each other and don't block each other.
    if tg_op = 'INSERT' then
        insert into plan_counts as c
        select plan_id, outcome, kind, included, count(*), count(*) filter (where losses > 0), sum(conflicts),
            count(*) filter (where included and refusals <> '[]'::jsonb), count(*) filter (where open > 0), sum(open),
            sum(right_calls), sum(left_calls), count(*) filter (where gets_link(links_back, decision))
        from later group by 1, 2, 3, 4 order by 1, 2, 3, 4
        on conflict (plan_id, outcome, kind, included) do update set
            count = c.count + excluded.count, with_losses = c.with_losses + excluded.with_losses,
            conflicts = c.conflicts + excluded.conflicts, refused = c.refused + excluded.refused,
            in_conflict = c.in_conflict + excluded.in_conflict, open = c.open + excluded.open,
            right_calls = c.right_calls + excluded.right_calls, left_calls = c.left_calls + excluded.left_calls,
            links_back = c.links_back + excluded.links_back;
    else
        insert into plan_counts as c
        select plan_id, outcome, kind, included, n, with_losses, conflicts, refused, in_conflict, open,
            right_calls, left_calls, links_back
        from (
            select plan_id, outcome, kind, included, sum(n) as n,
                coalesce(sum(n) filter (where losses > 0), 0) as with_losses,
                sum(n * conflicts) as conflicts,
                coalesce(sum(n) filter (where included and refusals <> '[]'::jsonb), 0) as refused,
                coalesce(sum(n) filter (where open > 0), 0) as in_conflict,
                sum(n * open) as open,
                sum(n * right_calls) as right_calls,
                sum(n * left_calls) as left_calls,
                coalesce(sum(n) filter (where gets_link(links_back, decision)), 0) as links_back
            from (
                select 1 as n, plan_id, outcome, kind, included, losses, conflicts, refusals, open,
                    right_calls, left_calls, links_back, decision from later
                union all
                select -1, plan_id, outcome, kind, included, losses, conflicts, refusals, open,
                    right_calls, left_calls, links_back, decision from earlier
            ) changed
            group by 1, 2, 3, 4
        ) summed
        where n <> 0 or with_losses <> 0 or conflicts <> 0 or refused <> 0 or in_conflict <> 0 or open <> 0
            or right_calls <> 0 or left_calls <> 0 or links_back <> 0
        order by 1, 2, 3, 4
        on conflict (plan_id, outcome, kind, included) do update set
            count = c.count + excluded.count, with_losses = c.with_losses + excluded.with_losses,
            conflicts = c.conflicts + excluded.conflicts, refused = c.refused + excluded.refused,
            in_conflict = c.in_conflict + excluded.in_conflict, open = c.open + excluded.open,
            right_calls = c.right_calls + excluded.right_calls, left_calls = c.left_calls + excluded.left_calls,
            links_back = c.links_back + excluded.links_back;
    end if;
    return null;
end $$;

update plan_counts p set (right_calls, left_calls) = (
    select coalesce(sum(c.right_calls), 0), coalesce(sum(c.left_calls), 0) from changes c
    where c.plan_id = p.plan_id and c.outcome = p.outcome and c.kind = p.kind and c.included = p.included
);
