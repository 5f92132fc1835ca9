-- Who looks for a part of a title, a key or a path finds it by an index: by runs of three letters. The extension ships with
-- PostgreSQL and is one of those that whoever owns a database may add to it.
create extension if not exists pg_trgm;
create index artefacts_by_part on artefacts using gin (title gin_trgm_ops, key gin_trgm_ops, path gin_trgm_ops);
