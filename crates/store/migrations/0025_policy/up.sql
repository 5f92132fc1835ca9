-- A conflict can be ended by the policy of its lane.
alter table conflicts drop constraint conflicts_ended_check;
alter table conflicts add constraint conflicts_ended_check
    check (ended in ('carried', 'agreed', 'withdrawn', 'moot', 'policy'));
