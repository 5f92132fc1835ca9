-- A lane may read either end: what was said of items without a pair, and the histories that are kept, tell the end of their
-- item. Everything of before is of the left.
alter table settled_matches rename column left_id to item_id;
alter table settled_matches rename column right_id to other_id;
alter table settled_matches
    add column item_end text not null default 'left' check (item_end in ('left', 'right')),
    drop constraint settled_matches_pkey,
    drop constraint settled_matches_route_id_lane_right_id_key,
    add primary key (route_id, lane, item_end, item_id),
    add unique (route_id, lane, item_end, other_id);
alter table settled_matches alter column item_end drop default;

alter table kept_histories rename column left_id to item_id;
alter table kept_histories rename column left_key to item_key;
alter table kept_histories
    add column item_end text not null default 'left' check (item_end in ('left', 'right')),
    drop constraint kept_histories_pkey,
    add primary key (route_id, lane, item_end, item_id);
alter table kept_histories alter column item_end drop default;

-- Of what is new at the left, the item that it comes from is at the right.
alter table changes add column right_id text generated always as (brief -> 'right' ->> 'id') stored;
create index changes_of_right_item on changes (right_id) where right_id is not null;
