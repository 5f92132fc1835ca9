drop index artefacts_by_words;
alter table artefacts drop column vector;
alter table artefacts add column vector tsvector not null
    generated always as (to_tsvector('simple', left(words, 200000))) stored;
create index artefacts_by_words on artefacts using gin (vector);
