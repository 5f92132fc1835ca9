// A transfer that runs, rests, or is over: what is done at each end, what was refused, and the receipt.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type Schemas } from "@/api/client";
import { keys, refresh } from "@/api/keys";
import { failureOf, over, type Job } from "@/api/jobs";
import { useKeys } from "@/app/keys";
import { exact, span } from "@/lib/format";
import { writtenEnds } from "@/lib/lanes";
import { count } from "@/lib/words";
import { Button, ButtonLink, Foot, Kbd, Trouble } from "@/ui/basics";
import { VirtualList } from "@/ui/virtual-list";
import { useDraft } from "../route/draft";
import { useSchema } from "../route/use-schema";
import { EndCard, type EndProgress } from "./end-card";
import { Ledger } from "./ledger";
import { ReceiptLosses, ReceiptTable } from "./receipt";

type Progress = {
  total?: number;
  settled?: number;
  /** Changes of which something is written and something is still to be. */
  under_way?: number;
  written?: number;
  files?: number;
  remaining_seconds?: number | null;
  elapsed_seconds?: number;
  in_hand?: string[];
  in_hand_count?: number;
  left?: EndProgress;
  right?: EndProgress;
};

const stateWord: Record<string, string> = {
  waiting: "Waiting for a worker",
  running: "Transferring",
  paused: "Paused",
  done: "Done",
  failed: "Stopped by an error",
  stopped: "Stopped",
};

export function Running({ job, lost }: { job: Job; lost: boolean }) {
  const { route } = useDraft();
  const queries = useQueryClient();
  const schema = useSchema(useDraft().route).data;
  const [error, setError] = useState<unknown>();
  const p = job.progress as Progress;
  const result = job.result as { done?: number; refused?: number } | null;
  const refused = useQuery({
    queryKey: keys.refused(job.id, job.state, job.finished_at),
    queryFn: () => take(api.GET("/jobs/{id}/refused", { params: { path: { id: job.id } } })),
    enabled: job.state !== "waiting",
    refetchInterval: job.state === "running" ? 3000 : false,
  });
  const receipt = useQuery({
    queryKey: keys.receipt(job.plan ?? "", job.state, job.finished_at),
    queryFn: () => take(api.GET("/plans/{id}/receipt", { params: { path: { id: job.plan ?? "" } } })),
    enabled: !!job.plan && job.state !== "waiting" && job.state !== "running",
  });
  const act = async (work: () => Promise<unknown>) => {
    setError(undefined);
    try {
      await work();
      await queries.invalidateQueries({ queryKey: keys.job(job.id) });
      await refresh.route(queries, route.id);
    } catch (caught) {
      setError(caught);
    }
  };
  const want = (wanted: Schemas["Wanted"]) =>
    act(() => take(api.PUT("/jobs/{id}/wanted", { params: { path: { id: job.id } }, body: { wanted } })));
  const retry = () => act(() => take(api.POST("/jobs/{id}/retry", { params: { path: { id: job.id } } })));
  const active = job.state === "running" || job.state === "waiting";
  useKeys([
    {
      key: "p",
      does: "Pause or resume",
      run: () => void (job.state === "paused" ? want("run") : active && want("pause")),
    },
  ]);
  const share = p.total ? (100 * (p.settled ?? 0)) / p.total : job.state === "done" ? 100 : 0;
  const pausing = job.state === "running" && job.wanted !== "run";
  const ends = writtenEnds(route.lanes);
  /** Where what was written is counted: at the end that is written, or at the right where both are. */
  const counted = ends.length === 1 ? ends[0] : "right";
  const card = (end: Schemas["End"]) => (
    <EndCard
      end={end}
      written={ends.includes(end)}
      data={p[end]}
      name={route[end].system_name}
      rows={
        end === counted
          ? [
              ["Writes of items", (p.written ?? 0).toLocaleString("en")],
              ["Files written", (p.files ?? 0).toLocaleString("en")],
            ]
          : [["Files read", (p.files ?? 0).toLocaleString("en")]]
      }
      note={
        end === counted && (p.written ?? 0) > (p.settled ?? 0)
          ? "An item whose links can only be set later is written twice."
          : undefined
      }
      elapsed={end === counted ? p.elapsed_seconds : undefined}
      running={job.state === "running"}
    />
  );
  return (
    <>
      <div className="flex-1 px-5 py-5">
        <div className="mb-5 rounded-lg border border-hair bg-sheet p-5">
          <div className="mb-2 flex items-baseline gap-3">
            <h2 className="text-[16px] font-semibold" aria-live="polite">
              {pausing
                ? job.wanted === "pause"
                  ? "Pausing after the changes in hand"
                  : "Stopping after the changes in hand"
                : stateWord[job.state]}
            </h2>
            {job.waits_for && (
              <span className="text-ink-2">
                until the transfer of {job.waits_for} ends, which writes the same items
              </span>
            )}
            <span className="text-ink-2">
              {(p.settled ?? 0).toLocaleString("en")} of {count(p.total ?? 0, "change")}
              {!!p.under_way && !over(job) && `, ${p.under_way.toLocaleString("en")} more under way`}
            </span>
            {lost && (
              <span className="text-clash">
                The connection is lost and will be restored by itself. The transfer continues.
              </span>
            )}
            <span className="ml-auto text-ink-3" title={exact(job.started_at)}>
              {job.state === "running" && p.remaining_seconds != null
                ? `about ${span(p.remaining_seconds)} left`
                : p.elapsed_seconds != null
                  ? over(job)
                    ? `took ${span(p.elapsed_seconds)}`
                    : `${span(p.elapsed_seconds)} so far`
                  : ""}
            </span>
          </div>
          <div
            role="progressbar"
            aria-label="Changes finished"
            aria-valuenow={Math.round(share)}
            aria-valuemin={0}
            aria-valuemax={100}
            className="h-[9px] overflow-hidden rounded-full bg-hair-2"
          >
            <i
              className="block h-full bg-[linear-gradient(90deg,var(--left),var(--right))] transition-[width]"
              style={{ width: `${share}%` }}
            />
          </div>
          <Trouble error={failureOf(job)} />
        </div>
        <div className="mb-5 grid grid-cols-[1fr_64px_1fr]">
          {card("left")}
          <div aria-hidden className="spine-cell" />
          {card("right")}
        </div>
        {!!p.in_hand?.length && job.state === "running" && (
          <section className="mb-5">
            <h3 className="mb-1 font-semibold">In hand</h3>
            <ul className="text-ink-2">
              {p.in_hand.map((t) => (
                <li key={t} className="truncate">
                  {t}
                </li>
              ))}
              {(p.in_hand_count ?? 0) > p.in_hand.length && (
                <li className="text-ink-3">and {count((p.in_hand_count ?? 0) - p.in_hand.length, "more", "more")}</li>
              )}
            </ul>
          </section>
        )}
        {!!refused.data?.length && (
          <section className="mb-5">
            <h3 className="mb-1.5 font-semibold text-clash">{count(refused.data.length, "change")} not transferred</h3>
            <VirtualList
              label="Not transferred"
              items={refused.data}
              keyOf={(r) => String(r.seq)}
              height={74}
              className="max-h-[420px] border border-hair bg-sheet"
              row={(r) => (
                <div className="px-3 py-2">
                  <span className="mono text-ink-2">{r.key}</span> {r.title}
                  <p className="text-clash">{r.why}</p>
                  <p className="text-ink-2">{r.advice}</p>
                </div>
              )}
            />
          </section>
        )}
        {receipt.data && (
          <>
            <ReceiptTable receipt={receipt.data} />
            <ReceiptLosses receipt={receipt.data} />
          </>
        )}
        {over(job) && <Ledger key={job.finished_at} job={job.id} schema={schema} />}
        <Trouble error={error} />
      </div>
      <Foot
        keys={
          active || job.state === "paused" ? (
            <>
              <span>
                <Kbd>P</Kbd> pause, resume
              </span>
              <span>Closing this page changes nothing; the transfer continues.</span>
            </>
          ) : (
            <span>{result ? `${count(result.done ?? 0, "change")} done, ${result.refused ?? 0} refused` : ""}</span>
          )
        }
      >
        {active && (
          <>
            <Button onClick={() => void want("stop")} disabled={pausing}>
              Stop
            </Button>
            <Button go onClick={() => void want("pause")} disabled={pausing}>
              Pause
            </Button>
          </>
        )}
        {job.state === "paused" && (
          <>
            <Button onClick={() => void want("stop")}>Stop</Button>
            <Button go onClick={() => void want("run")}>
              Resume
            </Button>
          </>
        )}
        {!!refused.data?.length && !active && job.state !== "paused" && (
          <Button onClick={() => void retry()}>Retry {count(refused.data.length, "change")}</Button>
        )}
        {(job.state === "failed" || job.state === "stopped") && (
          <Button onClick={() => void retry()}>Resume with the rest</Button>
        )}
        {["done", "failed", "stopped"].includes(job.state) && (
          <ButtonLink go to="../proof">
            Go to the proof
          </ButtonLink>
        )}
      </Foot>
    </>
  );
}
