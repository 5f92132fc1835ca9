-- The record: a line for each value that was written at an end, each call besides, and each choice about a conflict. Lines are
-- added and never changed; they name what they are about and hang on nothing, so that they stay when that is removed.
create table record (
    id bigint generated always as identity primary key,
    at timestamptz not null default now(),
    route_id uuid not null,
    -- Of a transfer.
    job_id uuid,
    seq integer,
    -- Of a person.
    by text,
    lane text not null,
    left_id text not null,
    right_id text not null,
    left_key text not null,
    right_key text not null,
    kind text not null,
    written_end text check (written_end in ('left', 'right')),
    -- What was written: a slot, a call of another sort, or the whole item.
    slot text,
    what text not null check (what in ('item', 'field', 'call', 'choice')),
    why text not null,
    -- What stood there before and after, by hash.
    before bytea,
    after bytea
);
-- What is noted twice, as after a crash just before the answer, is one line.
create unique index record_once on record (job_id, seq, written_end, slot, after) nulls not distinct where job_id is not null;
create index record_of_item on record (route_id, left_id, id desc);
create index record_of_route on record (route_id, id desc);
create index record_left_key on record (lower(left_key) text_pattern_ops);
create index record_right_key on record (lower(right_key) text_pattern_ops);
create index record_before on record (before) where before is not null;
create index record_after on record (after) where after is not null;

create function refuse_changes_of_the_record() returns trigger language plpgsql as $$
begin
    raise exception 'lines of the record are never changed or removed';
end $$;
create trigger record_is_kept before update or delete on record for each row
    execute function refuse_changes_of_the_record();
create trigger record_is_not_emptied before truncate on record for each statement
    execute function refuse_changes_of_the_record();
