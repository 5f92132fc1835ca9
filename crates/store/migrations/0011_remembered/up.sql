-- What was done is remembered, and not guessed from how things look afterwards.

-- How each field of a pair came to be in step (by which rule, and whether a person kept the right), what people called
-- both, and whether a person let the pair go.
alter table pairs
    add column left_key text not null default '',
    add column right_key text not null default '',
    add column agreed bytea references snapshots,
    add column let_go boolean not null default false;

-- Each call that writes, of a change of a transfer: before it is made, and with what its answer said.
create table steps (
    job_id uuid not null references jobs on delete cascade,
    seq integer not null,
    -- What is done: create, update, links, move, file, …, and to which piece.
    step text not null check (step <> ''),
    state text not null check (state in ('intended', 'done')),
    -- What was sent, where a later step must know.
    sent jsonb,
    -- What the right holds in the fields that were sent, as the answer says.
    held jsonb,
    right_id text,
    -- The version after.
    version text,
    at timestamptz not null default now(),
    primary key (job_id, seq, step)
);

-- Marks of origin, as they are made: one mark is made once at one place, whichever route asks.
create table marks (
    system_id uuid not null references systems on delete cascade,
    container text not null,
    kind text not null,
    mark text not null,
    job_id uuid not null references jobs on delete cascade,
    seq integer not null,
    -- None until it is made.
    right_id text,
    at timestamptz not null default now(),
    primary key (system_id, container, kind, mark)
);
create index marks_of_job on marks (job_id, seq);

-- Comments and past changes of a left item that a right one accepted: which became which. Kept for the two items, not
-- for a route, so that two routes add none of them twice.
create table accepted_pieces (
    left_system uuid not null references systems on delete cascade,
    left_kind text not null,
    left_id text not null,
    right_system uuid not null references systems on delete cascade,
    right_kind text not null,
    right_id text not null,
    slot text not null,
    left_piece text not null,
    -- None if the right does not say, or until it does.
    right_piece text,
    -- What it said, as a fingerprint.
    said text not null,
    state text not null check (state in ('intended', 'accepted')),
    -- While it is intended: the pieces that were there before.
    before jsonb,
    at timestamptz not null default now(),
    primary key (left_system, left_kind, left_id, right_system, right_kind, right_id, slot, left_piece)
);
create index accepted_pieces_of_ends on accepted_pieces (left_system, right_system, left_kind, right_kind);

-- The ledger belongs to the pair and the field, for as long as the loss stands.
create table losses (
    route_id uuid not null references routes on delete cascade,
    lane text not null,
    left_id text not null,
    field text not null,
    n integer not null,
    left_key text not null,
    right_key text not null,
    -- Whether a plan had shown it before it happened.
    foreseen boolean not null,
    body jsonb not null,
    -- The transfer that recorded it.
    job_id uuid references jobs on delete set null,
    at timestamptz not null default now(),
    primary key (route_id, lane, left_id, field, n)
);
create index losses_of_job on losses (job_id);
insert into losses (route_id, lane, left_id, field, n, left_key, right_key, foreseen, body, job_id, at)
select route_id, lane, left_id, field, row_number() over (partition by route_id, lane, left_id, field order by n) - 1,
       left_key, right_key, foreseen, body, job_id, created_at
from (
    select j.route_id, c.lane, c.left_id, l.body ->> 'field' as field, l.n, l.left_key, l.right_key, l.foreseen, l.body,
           l.job_id, j.created_at,
           max(j.created_at) over (partition by j.route_id, c.lane, c.left_id, l.body ->> 'field') as newest
    from ledger l
    join jobs j on j.id = l.job_id
    join changes c on c.plan_id = j.plan_id and c.seq = l.seq
    where c.left_id is not null and j.route_id is not null and l.body ->> 'field' is not null
) as told
where created_at = newest;
drop table ledger;

-- A proof has three figures: what agrees, what waits, and what nobody can explain.
alter table proofs
    add column waits integer not null default 0,
    add column unexplained integer not null default 0;

-- Which other routes' items links lead to. Routes that are there already go on as they did: to those of every other.
alter table routes add column follows uuid[] not null default '{}';
update routes r set follows = coalesce(
    (select array_agg(o.id order by o.created_at) from routes o
     where o.id <> r.id and o.left_system = r.left_system and o.left_container = r.left_container), '{}');

-- What a change costs at each end, in calls; of items that are made together, a share of one.
alter table changes
    add column right_calls double precision not null default 0,
    add column left_calls double precision not null default 0;

-- What a job was asked besides, such as how many files a proof reads.
alter table jobs add column options jsonb not null default '{}';
