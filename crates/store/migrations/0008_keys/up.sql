-- Keys for pipelines. What is kept is the hash; the key itself is shown once, when it is made.
create table keys (
    id uuid primary key,
    name text not null unique check (name <> ''),
    hash bytea not null unique check (length(hash) = 32),
    -- What the key may do.
    may text[] not null check (cardinality(may) > 0 and may <@ array['look', 'plan', 'apply', 'routes']),
    -- The routes that it may touch; none if any.
    route_ids uuid[] check (cardinality(route_ids) > 0),
    made_by uuid not null references people on delete cascade,
    made_at timestamptz not null default now(),
    expires_at timestamptz,
    used_at timestamptz,
    revoked_at timestamptz
);
