-- In which form JSON, and the fingerprints of it, stand in this database. Programs that know later forms bring what is here
-- up to them when they open it; programs that know only earlier ones leave it alone.
create table forms (
    name text primary key,
    form smallint not null check (form >= 0)
);
insert into forms (name, form) values
    ('fingerprints', 0), ('lanes', 1), ('changes', 1), ('bases', 1), ('proofs', 1), ('surveys', 1);

-- A fingerprint has the number of its form in front.
alter table snapshots drop constraint snapshots_hash_check;
alter table snapshots add constraint snapshots_hash_check check (octet_length(hash) in (32, 33));

-- Who removes a snapshot asks which pairs have it.
create index pairs_by_left_base on pairs (left_base);
create index pairs_by_right_base on pairs (right_base);
create index pairs_by_agreed on pairs (agreed);

-- The entries themselves tell whether they changed.
alter table kept_histories drop column digest;

-- What lists show of a change, so that a page of them costs what it shows. That of older changes is filled in as they are
-- brought up to form 2.
alter table changes add column brief jsonb not null default 'null';
alter table changes alter column brief drop default;
