-- Everything Hovrel remembers. Constraints stand here, not only in code.

create table people (
    id uuid primary key,
    login text not null unique check (login <> ''),
    name text not null,
    password_hash text not null,
    created_at timestamptz not null default now()
);

create table sessions (
    token_hash bytea primary key,
    person_id uuid not null references people on delete cascade,
    csrf text not null,
    expires_at timestamptz not null
);

create table systems (
    id uuid primary key,
    name text not null unique check (name <> ''),
    profile text not null,
    address text not null,
    -- Sealed: nonce and ciphertext. See seal.rs.
    credentials bytea not null,
    version integer not null default 1,
    check_steps jsonb,
    checked_at timestamptz,
    created_at timestamptz not null default now()
);

-- What was read of a container: its schema, its survey, its artefacts. A survey replaces them together.
create table surveys (
    system_id uuid not null references systems on delete cascade,
    container text not null,
    container_name text not null,
    catalogue jsonb not null,
    survey jsonb not null,
    at timestamptz not null default now(),
    primary key (system_id, container)
);

create table artefacts (
    system_id uuid not null,
    container text not null,
    kind text not null,
    external_id text not null,
    seq integer not null,
    key text not null,
    title text not null,
    path text not null,
    body jsonb not null,
    primary key (system_id, container, kind, external_id),
    foreign key (system_id, container) references surveys on delete cascade
);
create index artefacts_in_order on artefacts (system_id, container, kind, seq);

create table routes (
    id uuid primary key,
    name text not null unique check (name <> ''),
    left_system uuid not null references systems,
    left_container text not null,
    right_system uuid not null references systems,
    right_container text not null,
    lanes jsonb not null,
    version integer not null default 1,
    created_at timestamptz not null default now(),
    updated_at timestamptz not null default now(),
    check (left_system <> right_system or left_container <> right_container)
);

create table route_versions (
    route_id uuid not null references routes on delete cascade,
    version integer not null,
    lanes jsonb not null,
    saved_by uuid references people on delete set null,
    saved_at timestamptz not null default now(),
    primary key (route_id, version)
);

create table plans (
    id uuid primary key,
    route_id uuid not null references routes on delete cascade,
    route_version integer not null,
    lanes jsonb not null,
    summary jsonb not null,
    -- BLAKE3 over the changes: equal inputs give equal plans.
    digest bytea not null,
    made_at timestamptz not null default now()
);
create index plans_of_route on plans (route_id, made_at desc);

create table changes (
    plan_id uuid not null references plans on delete cascade,
    seq integer not null,
    lane text not null,
    kind text not null,
    outcome text not null,
    left_id text,
    left_key text not null,
    right_key text not null,
    title text not null,
    field_names text[] not null,
    losses integer not null,
    conflicts integer not null,
    body jsonb not null,
    decision jsonb not null,
    included boolean not null,
    primary key (plan_id, seq)
);
create index changes_by_outcome on changes (plan_id, outcome, seq);

create table jobs (
    id uuid primary key,
    kind text not null check (kind in ('survey', 'dry_run', 'transfer', 'proof')),
    route_id uuid references routes on delete cascade,
    system_id uuid references systems on delete cascade,
    container text,
    plan_id uuid references plans on delete cascade,
    state text not null default 'waiting' check (state in ('waiting', 'running', 'paused', 'done', 'failed', 'stopped')),
    wanted text not null default 'run' check (wanted in ('run', 'pause', 'stop')),
    progress jsonb not null default '{}',
    result jsonb,
    error text,
    lease_owner uuid,
    lease_until timestamptz,
    created_at timestamptz not null default now(),
    started_at timestamptz,
    finished_at timestamptz,
    check (route_id is not null or system_id is not null)
);
-- A route runs at most one transfer at a time.
create unique index one_transfer_per_route on jobs (route_id)
    where kind = 'transfer' and state in ('waiting', 'running', 'paused');
create index jobs_to_do on jobs (created_at) where state in ('waiting', 'running');
create index jobs_of_route on jobs (route_id, kind, created_at desc);
create index jobs_of_system on jobs (system_id, created_at desc);

create table job_events (
    job_id uuid not null references jobs on delete cascade,
    seq bigint generated always as identity,
    at timestamptz not null default now(),
    body jsonb not null,
    primary key (job_id, seq)
);

-- One row per change of a transfer: see docs/journal.md for the states.
create table journal (
    job_id uuid not null references jobs on delete cascade,
    seq integer not null,
    state text not null check (state in ('intended', 'made', 'done', 'refused')),
    attempts integer not null,
    right_id text,
    error text,
    advice text,
    at timestamptz not null default now(),
    primary key (job_id, seq)
);
create index journal_by_state on journal (job_id, state);

-- Content-addressed halves of bases: unchanged values cost nothing to remember again.
create table snapshots (
    hash bytea primary key check (octet_length(hash) = 32),
    body jsonb not null
);

create table pairs (
    route_id uuid not null references routes on delete cascade,
    lane text not null,
    left_id text not null,
    right_id text not null,
    left_base bytea not null references snapshots,
    right_base bytea not null references snapshots,
    updated_at timestamptz not null default now(),
    primary key (route_id, lane, left_id),
    unique (route_id, lane, right_id)
);

create table ledger (
    job_id uuid not null references jobs on delete cascade,
    seq integer not null,
    n integer not null,
    left_key text not null,
    right_key text not null,
    foreseen boolean not null,
    body jsonb not null,
    primary key (job_id, seq, n)
);

create table proofs (
    id uuid primary key,
    route_id uuid not null references routes on delete cascade,
    body jsonb not null,
    differences integer not null,
    at timestamptz not null default now()
);
create index proofs_of_route on proofs (route_id, at desc);
