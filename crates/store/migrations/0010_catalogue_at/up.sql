-- When what a container can hold was read; a field that is made changes it without a new survey.
alter table surveys add column catalogue_at timestamptz not null default now();
-- Plans are listed with their transfers.
create index jobs_of_plan on jobs (plan_id, created_at desc) where plan_id is not null;
