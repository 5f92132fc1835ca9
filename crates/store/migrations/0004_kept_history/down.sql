drop table kept_histories;
