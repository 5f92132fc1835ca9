-- Conflicts are kept by themselves: one that is open for a pair and a rule, in generations.
create table conflicts (
    id uuid primary key,
    pair_id uuid not null references pairs on delete cascade,
    route_id uuid not null references routes on delete cascade,
    lane text not null,
    rule text not null,
    slot text not null,
    kind text not null,
    reason text not null,
    title text not null,
    left_key text not null,
    right_key text not null,
    -- Counted up when a value, the rule or the reason changes.
    generation integer not null check (generation > 0),
    -- Counted up whenever anything of it changes: whoever decides says what they saw.
    revision integer not null default 1 check (revision > 0),
    state text not null check (state in ('open', 'settled', 'closed')),
    -- How it ended: what was chosen was transferred, both ends say the same, one end is as it was, or there is no such rule any more.
    ended text check (ended in ('carried', 'agreed', 'withdrawn', 'moot')),
    -- What a system said to what was chosen.
    refused text,
    opened_at timestamptz not null default now(),
    changed_at timestamptz not null default now(),
    ended_at timestamptz,
    -- The plan that found it last, and where it stands there.
    last_plan uuid references plans on delete set null,
    seq integer not null,
    check ((state = 'closed') = (ended is not null)),
    check ((state = 'closed') = (ended_at is not null))
);
create unique index conflicts_open on conflicts (pair_id, rule) where state <> 'closed';
create index conflicts_listed on conflicts (state, changed_at desc, id);
create index conflicts_of_route on conflicts (route_id, state, changed_at desc, id);
create index conflicts_of_pair on conflicts (pair_id);
create index conflicts_found on conflicts (last_plan);

create table conflict_generations (
    conflict_id uuid not null references conflicts on delete cascade,
    generation integer not null check (generation > 0),
    digest bytea not null,
    reason text not null,
    body jsonb not null,
    -- What was remembered of the pair then.
    left_base bytea not null,
    right_base bytea not null,
    at timestamptz not null default now(),
    choice jsonb,
    settled_by uuid references people on delete set null,
    settled_at timestamptz,
    check ((choice is null) = (settled_at is null)),
    primary key (conflict_id, generation)
);
create index conflict_generations_left on conflict_generations (left_base);
create index conflict_generations_right on conflict_generations (right_base);
create index conflict_generations_by on conflict_generations (settled_by);
