-- Which end is written is a value, and both ends are kept alike.

-- What a change wrote at an end: the item, and its version after.
create table journal_items (
    job_id uuid not null,
    seq integer not null,
    written_end text not null check (written_end in ('left', 'right')),
    item_id text not null,
    version text,
    primary key (job_id, seq, written_end),
    foreign key (job_id, seq) references journal on delete cascade
);
insert into journal_items (job_id, seq, written_end, item_id)
    select job_id, seq, 'right', right_id from journal where right_id is not null;
alter table journal drop column right_id;

-- A call that writes is made at an end. Until now only links back were written at the left.
alter table steps add column written_end text not null default 'right' check (written_end in ('left', 'right'));
update steps set written_end = 'left' where step = 'back';
alter table steps alter column written_end drop default;
alter table steps drop constraint steps_pkey;
alter table steps add primary key (job_id, seq, written_end, step);
-- Nothing was ever kept in these: the journal says which item a change wrote.
alter table steps drop column right_id;
alter table steps drop column version;

alter table marks rename column right_id to item_id;

-- Pairs are told apart by an id of their own, and remember the versions under which both were in step, where systems have
-- them.
alter table pairs add column id uuid not null default gen_random_uuid();
alter table pairs add column left_version text;
alter table pairs add column right_version text;
alter table pairs drop constraint pairs_pkey;
alter table pairs add primary key (id);
alter table pairs add unique (route_id, lane, left_id);

-- Codes that name their end.
alter table changes disable trigger user;
update changes set outcome = case outcome when 'left_scope' then 'out_of_scope_left' else 'taken_off_left' end
    where outcome in ('left_scope', 'taken_off');
alter table changes enable trigger user;
update plan_counts set outcome = case outcome when 'left_scope' then 'out_of_scope_left' else 'taken_off_left' end
    where outcome in ('left_scope', 'taken_off');
