-- Everything that an artefact says, for searching. The dictionary knows no language: projects mix several.
alter table artefacts
    add column words text not null default '',
    -- A vector holds a megabyte at most; what is beyond the first part of a text is not searched.
    add column vector tsvector not null generated always as (to_tsvector('simple', left(words, 200000))) stored;
create index artefacts_by_words on artefacts using gin (vector);

-- An artefact's page asks for the pairs and the changes that it took part in.
create index pairs_by_left on pairs (left_id);
create index pairs_by_right on pairs (right_id);
create index changes_of_item on changes (left_id) where left_id is not null;
