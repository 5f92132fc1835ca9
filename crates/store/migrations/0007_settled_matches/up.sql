-- What a person said of items that have no pair yet: which is the counterpart, or that there is none.
create table settled_matches (
    route_id uuid not null references routes on delete cascade,
    lane text not null,
    left_id text not null,
    right_id text,
    settled_by uuid references people on delete set null,
    settled_at timestamptz not null default now(),
    primary key (route_id, lane, left_id),
    -- Nobody is the counterpart of two.
    unique (route_id, lane, right_id)
);
