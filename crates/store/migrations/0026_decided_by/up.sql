-- Who decided about a change in its plan.
alter table changes add column decided_by uuid references people on delete set null;
alter table decided_before add column decided_by uuid references people on delete set null;
create index changes_decided_by on changes (decided_by) where decided_by is not null;
create index decided_before_by on decided_before (decided_by) where decided_by is not null;
