-- What a transfer writes: system, project and kind of each. Of two that write the same, the later one waits for the other.
alter table jobs add writes text[] not null default '{}';
