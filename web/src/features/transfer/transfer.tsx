// The Transfer stop: what is done at each end now, and how it ended.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, take, type Schemas } from "@/api/client";
import { failureOf, over, useJob, type Job } from "@/api/jobs";
import { useKeys } from "@/app/keys";
import { clock, exact, percent, span } from "@/lib/format";
import { count, lossWord } from "@/lib/words";
import { Button, Empty, Foot, Kbd, Loading, Trouble } from "@/ui/basics";
import { StaysAt } from "@/ui/pieces";
import { Disc, EndMark } from "@/ui/disc";
import { useDraft } from "../route/draft";
import { fieldName, useSchema } from "../route/use-schema";

type Meter = {
  calls: number;
  retries: number;
  refused_for_rate: number;
  waited_ms: number;
  waiting_until?: string | null;
};
type EndProgress = { name: string; meter: Meter; limit_per_minute?: number | null };
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

export default function Transfer() {
  const { route } = useDraft();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const { job, lost } = useJob(route.transfer?.id, () => void queries.invalidateQueries());
  if (!route.transfer) {
    return (
      <Empty
        title="Nothing has been transferred"
        action={
          <Button go onClick={() => void navigate("../dry-run")}>
            Open the dry run
          </Button>
        }
      >
        A transfer applies the changes that a dry run found, one by one, and notes each before and after.
      </Empty>
    );
  }
  if (!job) return <Loading what="the transfer" />;
  return <Running job={job} lost={lost} />;
}

const stateWord: Record<string, string> = {
  waiting: "Waiting for a worker",
  running: "Transferring",
  paused: "Paused",
  done: "Done",
  failed: "Stopped by a fault",
  stopped: "Stopped",
};

function Running({ job, lost }: { job: Job; lost: boolean }) {
  const { route } = useDraft();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const schema = useSchema(useDraft().route).data;
  const [error, setError] = useState<unknown>();
  const p = job.progress as Progress;
  const result = job.result as { done?: number; refused?: number } | null;
  const refused = useQuery({
    queryKey: ["refused", job.id, job.state, job.finished_at],
    queryFn: () => take(api.GET("/jobs/{id}/refused", { params: { path: { id: job.id } } })),
    enabled: job.state !== "waiting",
    refetchInterval: job.state === "running" ? 3000 : false,
  });
  const losses = useQuery({
    queryKey: ["losses", job.id, job.state, job.finished_at],
    queryFn: () => take(api.GET("/jobs/{id}/losses", { params: { path: { id: job.id } } })),
    enabled: job.state !== "waiting" && job.state !== "running",
  });
  const act = async (work: () => Promise<unknown>) => {
    setError(undefined);
    try {
      await work();
      await queries.invalidateQueries({ queryKey: ["job", job.id] });
      await queries.invalidateQueries({ queryKey: ["route", route.id] });
    } catch (caught) {
      setError(caught);
    }
  };
  const want = (wanted: Schemas["WantedWord"]) =>
    act(() => take(api.PUT("/jobs/{id}/wanted", { params: { path: { id: job.id } }, body: { wanted } })));
  const retry = () => act(() => take(api.POST("/jobs/{id}/retry", { params: { path: { id: job.id } } })));
  const active = job.state === "running" || job.state === "waiting";
  useKeys([
    {
      key: "p",
      does: "Pause, or go on",
      run: () => void (job.state === "paused" ? want("run") : active && want("pause")),
    },
  ]);
  const share = p.total ? (100 * (p.settled ?? 0)) / p.total : job.state === "done" ? 100 : 0;
  const pausing = job.state === "running" && job.wanted !== "run";
  return (
    <>
      <div className="flex-1 overflow-auto px-5 py-5">
        <div className="mb-5 rounded-lg border border-hair bg-sheet p-5">
          <div className="mb-2 flex items-baseline gap-3">
            <h2 className="text-[16px] font-semibold" aria-live="polite">
              {pausing
                ? job.wanted === "pause"
                  ? "Pausing after the changes in hand"
                  : "Stopping after the changes in hand"
                : stateWord[job.state]}
            </h2>
            <span className="text-ink-2">
              {(p.settled ?? 0).toLocaleString("en")} of {count(p.total ?? 0, "change")}
              {!!p.under_way && !over(job) && `, ${p.under_way.toLocaleString("en")} more under way`}
            </span>
            {lost && (
              <span className="text-clash">The connection is lost; it catches up by itself. The transfer goes on.</span>
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
            aria-label="Changes settled"
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
          <EndCard
            end="left"
            data={p.left}
            name={route.left.system_name}
            rows={[["Files read", String(p.files ?? 0)]]}
            running={job.state === "running"}
          />
          <div aria-hidden className="spine-cell" />
          <EndCard
            end="right"
            data={p.right}
            name={route.right.system_name}
            rows={[
              ["Items written", String(p.written ?? 0)],
              ["Files written", String(p.files ?? 0)],
            ]}
            elapsed={p.elapsed_seconds}
            running={job.state === "running"}
          />
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
            <h3 className="mb-1.5 font-semibold text-clash">{count(refused.data.length, "change")} not carried</h3>
            <ul className="divide-y divide-hair-2 border border-hair bg-sheet">
              {refused.data.map((r) => (
                <li key={r.seq} className="px-3 py-2">
                  <span className="mono text-ink-2">{r.key}</span> {r.title}
                  <p className="text-clash">{r.why}</p>
                  <p className="text-ink-2">{r.advice}</p>
                </li>
              ))}
            </ul>
          </section>
        )}
        {losses.data && (
          <section>
            <h3 className="mb-1.5 flex items-center gap-2 font-semibold">
              <Disc shape="loss" label="" />
              {count(losses.data.length, "loss", "losses")} in the ledger
            </h3>
            {losses.data.length > 0 && (
              <div
                className="max-h-[320px] overflow-auto border border-hair bg-sheet"
                tabIndex={0}
                aria-label="Loss ledger"
              >
                <table className="w-full table-fixed">
                  <thead>
                    <tr className="text-left text-[11px] text-ink-3">
                      <th className="w-[150px] border-b border-hair px-3 py-1.5 font-normal">Item</th>
                      <th className="w-[110px] border-b border-hair font-normal">Field</th>
                      <th className="border-b border-hair font-normal">What was lost</th>
                      <th className="w-[36%] border-b border-hair font-normal">It said</th>
                    </tr>
                  </thead>
                  <tbody>
                    {losses.data.slice(0, 400).map((l, n) => (
                      <tr key={n} className="border-b border-hair-2 last:border-0">
                        <td className="mono px-3 py-1 text-ink-2">
                          {l.left_key} → {l.right_key}
                        </td>
                        <td className="truncate">{fieldName(schema, undefined, l.loss.field)}</td>
                        <td>
                          <span className="text-loss">{lossWord[l.loss.kind]}</span>: {l.loss.why}
                          {!l.foreseen && <b className="text-clash"> (not foreseen)</b>}
                        </td>
                        <td className="truncate pr-3 text-ink-3" title={l.loss.before}>
                          {l.loss.before}
                          <StaysAt after={l.loss.after} />
                        </td>
                      </tr>
                    ))}
                  </tbody>
                </table>
              </div>
            )}
          </section>
        )}
        <Trouble error={error} />
      </div>
      <Foot
        keys={
          active || job.state === "paused" ? (
            <>
              <span>
                <Kbd>P</Kbd> pause, go on
              </span>
              <span>Closing this page changes nothing; the transfer goes on.</span>
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
              Go on
            </Button>
          </>
        )}
        {!!refused.data?.length && !active && job.state !== "paused" && (
          <Button onClick={() => void retry()}>Retry {count(refused.data.length, "change")}</Button>
        )}
        {(job.state === "failed" || job.state === "stopped") && (
          <Button onClick={() => void retry()}>Go on with the rest</Button>
        )}
        {["done", "failed", "stopped"].includes(job.state) && (
          <Button go onClick={() => void navigate("../proof")}>
            Prove it
          </Button>
        )}
      </Foot>
    </>
  );
}

function EndCard({
  end,
  name,
  data,
  rows,
  elapsed,
  running,
}: {
  end: "left" | "right";
  name: string;
  data?: EndProgress;
  rows: [string, string][];
  elapsed?: number;
  running: boolean;
}) {
  const m = data?.meter;
  const all: [string, string][] = [
    ...rows,
    ["Calls made", String(m?.calls ?? 0)],
    ["Repeated after trouble", String(m?.retries ?? 0)],
    ["Told to slow down", String(m?.refused_for_rate ?? 0)],
  ];
  if (data?.limit_per_minute && elapsed && m)
    all.push([
      "Of what its limit allows",
      `${percent(Math.min(m.calls, (data.limit_per_minute * elapsed) / 60), (data.limit_per_minute * elapsed) / 60)} of ${data.limit_per_minute} a minute`,
    ]);
  return (
    <section
      aria-label={`${end} end`}
      className={`rounded-lg border border-hair bg-sheet p-4 ${end === "left" ? "border-l-[3px] border-l-end-left" : "border-r-[3px] border-r-end-right"}`}
    >
      <h3 className="mb-2 flex items-center gap-2 font-semibold">
        <EndMark end={end} />
        {name} <span className="font-normal text-ink-3">{end === "left" ? "is read" : "is written"}</span>
      </h3>
      <dl className="grid grid-cols-[1fr_auto] gap-y-1">
        {all.map(([k, v]) => (
          <div key={k} className="contents">
            <dt className="text-ink-2">{k}</dt>
            <dd className="text-right font-medium">{v}</dd>
          </div>
        ))}
      </dl>
      {running && m?.waiting_until && (
        <p role="status" className="mt-2 rounded bg-wash px-2 py-1 text-ink-2">
          Waiting for {name} to take more calls, until {clock(m.waiting_until)}
        </p>
      )}
    </section>
  );
}
