// The Dry run stop: none yet, one that reads, or its plan. Nothing is written outside.
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take } from "@/api/client";
import { refresh } from "@/api/keys";
import { failureOf, over, useJob } from "@/api/jobs";
import { Button, Empty, Trouble } from "@/ui/basics";
import { useDraft } from "../route/draft";
import { Reading } from "../route/reading";
import { PlanView } from "./plan-view";

export default function DryRun() {
  const { route } = useDraft();
  const queries = useQueryClient();
  const [failure, setFailure] = useState<unknown>();
  const again = () => void refresh.route(queries, route.id);
  const { job, lost } = useJob(route.dry_run?.id, again);
  const start = async () => {
    setFailure(undefined);
    try {
      await take(api.POST("/routes/{id}/dry-runs", { params: { path: { id: route.id } } }));
      again();
    } catch (caught) {
      setFailure(caught);
    }
  };
  const running = job && !over(job);
  if (running) {
    return (
      <Empty
        title="The dry run reads both ends"
        action={
          <Button
            onClick={() =>
              void take(api.PUT("/jobs/{id}/wanted", { params: { path: { id: job.id } }, body: { wanted: "stop" } }))
            }
          >
            Stop it
          </Button>
        }
      >
        <Reading job={job} lost={lost} />
      </Empty>
    );
  }
  const failed = failureOf(job);
  if (!route.plan) {
    return (
      <Empty
        title="No dry run yet"
        action={
          <Button go onClick={() => void start()}>
            Make a dry run
          </Button>
        }
      >
        A dry run reads both ends and lists every difference. It writes nothing outside.
        <Trouble error={failure ?? failed} />
      </Empty>
    );
  }
  return <PlanView key={route.plan.id} plan={route.plan} again={() => void start()} failure={failure ?? failed} />;
}
