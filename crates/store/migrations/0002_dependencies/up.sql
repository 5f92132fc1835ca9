-- Which changes of a plan need which others: leaving one out leaves out what needs it.
create table dependencies (
    plan_id uuid not null,
    seq integer not null,
    needs integer not null check (needs < seq),
    primary key (plan_id, seq, needs),
    foreign key (plan_id, seq) references changes on delete cascade,
    foreign key (plan_id, needs) references changes on delete cascade
);
create index dependencies_backwards on dependencies (plan_id, needs);
