drop table signing_key;
