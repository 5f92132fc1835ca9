drop table dependencies;
