drop index changes_of_item;
drop index pairs_by_right;
drop index pairs_by_left;
alter table artefacts drop column vector, drop column words;
