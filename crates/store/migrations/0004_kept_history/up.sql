-- History of left items that their lane does not carry: kept here, and shown beside both items. It outlives
-- the system that it came from.
create table kept_histories (
    route_id uuid not null references routes on delete cascade,
    lane text not null,
    left_id text not null,
    left_key text not null,
    system_name text not null,
    digest bytea not null check (length(digest) = 32),
    entries jsonb not null,
    kept_at timestamptz not null default now(),
    primary key (route_id, lane, left_id)
);
