-- A job that brings its worker down must not be taken over for ever.
alter table jobs
    -- How often it was taken over from a worker that went silent, each time soon after it had been taken.
    add column takeovers integer not null default 0 check (takeovers >= 0),
    add column taken_at timestamptz;
