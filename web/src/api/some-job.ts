// A job for tests: a transfer that runs.
import type { Schemas } from "./client";

type Job = Schemas["JobAnswer"];
// Their shape depends on the kind of the job.
type Free = { progress?: Record<string, number>; result?: Record<string, number> };

export const someJob = (more: Partial<Omit<Job, keyof Free>> & Free): Job =>
  ({
    id: "j1",
    kind: "transfer",
    state: "running",
    wanted: "run",
    progress: {},
    created_at: "2026-03-02T09:00:00Z",
    ...more,
  }) as Job;
