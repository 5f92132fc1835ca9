// A job as it runs: its state from the API, then events as they happen. The browser reconnects by itself
// and says which event it saw last, so nothing is missed.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, take, type Schemas } from "./client";
import { keys } from "./keys";

export type Job = Schemas["JobAnswer"];

const overStates: Job["state"][] = ["done", "failed", "stopped"];

export const over = (job: Job | null | undefined) => !!job && overStates.includes(job.state);

const failedWord: Record<Job["kind"], string> = {
  survey: "The survey failed",
  dry_run: "The dry run failed",
  transfer: "The transfer stopped",
  proof: "The proof failed",
  unknown: "The job failed",
};

/** A job that failed, with the reason it noted. */
export class JobError extends Error {
  readonly title: string;
  constructor(kind: Job["kind"], reason: string) {
    super(reason);
    this.title = failedWord[kind];
  }
}

/** Why a job failed, if it did. */
export const failureOf = (job: Job | null | undefined): JobError | undefined =>
  job?.state === "failed" ? new JobError(job.kind, job.error ?? "No reason is known.") : undefined;

type JobEvent = Partial<Pick<Job, "progress" | "state" | "wanted" | "error">>;

/** Follows a job; `onEnd` is called once when it ends or rests. `lost` tells that events are late. */
export function useJob(id: string | undefined, onEnd?: () => void) {
  const queries = useQueryClient();
  const [lost, setLost] = useState(false);
  const job = useQuery({
    queryKey: keys.job(id),
    queryFn: () => take(api.GET("/jobs/{id}", { params: { path: { id: id ?? "" } } })),
    enabled: !!id,
  });
  const ended = !job.data || over(job.data);
  useEffect(() => {
    if (!id || ended) return;
    const source = new EventSource(`/api/v1/jobs/${id}/events`);
    source.onopen = () => setLost(false);
    source.onerror = () => setLost(true);
    source.onmessage = (message) => {
      const event = JSON.parse(message.data as string) as JobEvent;
      queries.setQueryData<Job>(keys.job(id), (before) => (before ? { ...before, ...event } : before));
      if (event.state) void queries.invalidateQueries({ queryKey: keys.job(id) });
    };
    return () => source.close();
  }, [id, ended, queries]);
  // A quick job may be over before it is first looked at, so what counts is its state, not an event.
  const told = useRef("");
  const callback = useRef(onEnd);
  useEffect(() => {
    callback.current = onEnd;
  });
  const rests = job.data && (over(job.data) || job.data.state === "paused") ? `${job.data.id} ${job.data.state}` : "";
  useEffect(() => {
    if (!rests || told.current === rests) return;
    told.current = rests;
    callback.current?.();
  }, [rests]);
  return { job: job.data, lost: lost && !ended, error: job.error };
}
