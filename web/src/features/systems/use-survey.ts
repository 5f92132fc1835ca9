// A survey of a project: one that runs, or one that is begun here.
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take } from "@/api/client";
import { refresh } from "@/api/keys";
import { failureOf, useJob } from "@/api/jobs";

export function useSurvey(system: string, container: string, running?: string) {
  const queries = useQueryClient();
  const [started, setStarted] = useState<string>();
  const [error, setError] = useState<unknown>();
  const { job, lost } = useJob(started ?? running, () => void refresh.system(queries, system));
  const begin = async () => {
    setError(undefined);
    try {
      const made = api.POST("/systems/{id}/surveys", { params: { path: { id: system } }, body: { container } });
      setStarted((await take(made)).id);
    } catch (caught) {
      setError(caught);
    }
  };
  const busy = !!job && ["waiting", "running"].includes(job.state);
  return { job, lost, busy, begin: () => void begin(), error: error ?? failureOf(job) };
}
