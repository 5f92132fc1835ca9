-- Who changed each item of a conflict last, by name, as its system tells; of conflicts of before that is not known until they are found again.
alter table conflicts add left_by text, add right_by text;
create index conflicts_left_by on conflicts (left_by, state);
create index conflicts_right_by on conflicts (right_by, state);
