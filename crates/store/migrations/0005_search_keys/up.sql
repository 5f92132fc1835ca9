-- The parser of text search takes RQ-3 for a word and a negative number, and a host for one word: nobody who looks
-- for “RQ-3” or “minutes” would find them. What joins words is taken for a space, as it is in what is looked for.
drop index artefacts_by_words;
alter table artefacts drop column vector;
alter table artefacts add column vector tsvector not null
    generated always as (to_tsvector('simple', translate(left(words, 200000), '-_./:@#\', '        '))) stored;
create index artefacts_by_words on artefacts using gin (vector);
