// The Dry run stop: every difference, in or out, whole or field by field. Nothing is written outside.
import { useInfiniteQuery, useMutation, useQueryClient } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef, useState } from "react";
import { Link, useNavigate } from "react-router";
import { useQueryParts } from "@/lib/use-query";
import { toast } from "sonner";
import { api, take, type Schemas } from "@/api/client";
import { failureOf, over, useJob } from "@/api/jobs";
import { useKeys } from "@/app/keys";
import { ago, exact, span } from "@/lib/format";
import { count, kindsWord, kindWord, outcomeWord, type DiscShape } from "@/lib/words";
import { Button, Check, Empty, Foot, Kbd, Loading, Pill, Trouble } from "@/ui/basics";
import { Disc, Legend } from "@/ui/disc";
import { FindBox } from "@/ui/find-box";
import { useDraft } from "../route/draft";
import { Reading } from "../route/reading";
import { fieldName, useSchema } from "../route/use-schema";
import { ChangeRow, ROW } from "./change-row";
import { Detail } from "./detail";

type Plan = Schemas["PlanFigure"];
export type Listed = Schemas["ListedChange"];

export default function DryRun() {
  const { route } = useDraft();
  const queries = useQueryClient();
  const [failure, setFailure] = useState<unknown>();
  const refresh = () => void queries.invalidateQueries({ queryKey: ["route", route.id] });
  const { job, lost } = useJob(route.dry_run?.id, refresh);
  const start = async () => {
    setFailure(undefined);
    try {
      await take(api.POST("/routes/{id}/dry-runs", { params: { path: { id: route.id } } }));
      refresh();
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

function PlanView({ plan, again, failure }: { plan: Plan; again: () => void; failure: unknown }) {
  const { route } = useDraft();
  const schema = useSchema(route).data;
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [query, set, only] = useQueryParts();
  const [error, setError] = useState<unknown>();
  const filter = {
    outcome: (query.get("outcome") as Schemas["Outcome"] | null) ?? undefined,
    kind: (query.get("kind") as Schemas["Kind"] | null) ?? undefined,
    field: query.get("field") ?? undefined,
    find: query.get("find") ?? undefined,
    with_losses: query.get("losses") === "1",
    left_out: query.get("out") === "1",
    refused: query.get("refused") === "1",
  };
  const pages = useInfiniteQuery({
    queryKey: ["changes", plan.id, filter],
    queryFn: ({ pageParam }) =>
      take(
        api.GET("/plans/{id}/changes", {
          params: { path: { id: plan.id }, query: { ...filter, after: pageParam, limit: 100 } },
        }),
      ),
    initialPageParam: -1,
    getNextPageParam: (last) => last.next ?? undefined,
  });
  const items = pages.data?.pages.flatMap((p) => p.items) ?? [];
  const chosen = Number(query.get("change") ?? items[0]?.seq ?? -1);
  const at = items.findIndex((i) => i.seq === chosen);
  const box = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: items.length,
    getScrollElement: () => box.current,
    estimateSize: () => ROW,
    overscan: 10,
  });
  const select = (n: number) => {
    const item = items[n];
    if (!item) return;
    set({ change: String(item.seq) });
    rows.scrollToIndex(n);
  };
  // The differences below take more or less room with each change: the chosen row stays in view.
  useEffect(() => {
    if (!box.current || at < 0) return;
    const sized = new ResizeObserver(() => rows.scrollToIndex(at));
    sized.observe(box.current);
    return () => sized.disconnect();
  }, [at, rows]);
  useEffect(() => {
    if (at > items.length - 20 && pages.hasNextPage && !pages.isFetching) void pages.fetchNextPage();
  }, [at, items.length, pages]);
  const locked = !!plan.transfer;
  const refresh = async () => {
    await Promise.all([
      queries.invalidateQueries({ queryKey: ["changes", plan.id] }),
      queries.invalidateQueries({ queryKey: ["change", plan.id] }),
      queries.invalidateQueries({ queryKey: ["route", route.id] }),
    ]);
  };
  const decide = useMutation({
    mutationFn: ({ seq, body }: { seq: number; body: Schemas["DecisionBody"] }) =>
      take(api.PATCH("/plans/{id}/changes/{seq}", { params: { path: { id: plan.id, seq } }, body })),
    onSuccess: refresh,
    onError: setError,
  });
  const include = useMutation({
    mutationFn: (included: boolean) =>
      take(api.POST("/plans/{id}/include", { params: { path: { id: plan.id } }, body: { filter, included } })),
    onSuccess: async (done, included) => {
      toast(`${count(done.changed, "change")} ${included ? "included" : "left out"}`);
      await refresh();
    },
    onError: setError,
  });
  const toggle = (item: Listed | undefined) =>
    item && !locked && writable(item) && decide.mutate({ seq: item.seq, body: { included: !item.included } });
  const nextWhere = (test: (i: Listed) => boolean) => {
    const n = items.findIndex((i, k) => k > at && test(i));
    select(n >= 0 ? n : items.findIndex(test));
  };
  const transfer = async () => {
    setError(undefined);
    try {
      await take(api.POST("/plans/{id}/transfer", { params: { path: { id: plan.id } } }));
      await queries.invalidateQueries({ queryKey: ["route", route.id] });
      await navigate("../transfer");
    } catch (caught) {
      setError(caught);
    }
  };
  useKeys([
    { key: "j", does: "Next change", run: () => select(at + 1) },
    { key: "k", does: "Previous change", run: () => select(at - 1) },
    { key: "ArrowDown", does: "Next change", run: () => select(at + 1) },
    { key: "ArrowUp", does: "Previous change", run: () => select(at - 1) },
    { key: " ", does: "Take the change in, or leave it out", run: () => toggle(items[at]) },
    { key: "c", does: "Next open conflict", run: () => nextWhere((i) => i.conflicts_open > 0) },
    { key: "l", does: "Next loss", run: () => nextWhere((i) => i.losses > 0) },
  ]);
  const waiting = items.some((i) => i.conflicts_open > 0) || plan.conflicts > 0;
  const shapes = [
    "new_right",
    "update_right",
    "adopt",
    "conflict",
    "held_right",
    "blocked",
    "gone_right",
    "gone_left",
    "left_scope",
    "taken_off",
    "unreadable",
  ] as DiscShape[];
  const of = (shape: string) => plan.outcomes.filter((o) => o.outcome === shape).reduce((n, o) => n + o.count, 0);
  const kinds = [...new Set(plan.outcomes.map((o) => o.kind))];
  const none = !filter.outcome && !filter.with_losses && !filter.left_out && !filter.refused;
  const stale = plan.route_version !== route.version;
  const all =
    items.length > 0 && items.every((i) => i.included) ? "in" : items.some((i) => i.included) ? "some" : "out";
  return (
    <>
      <div className="flex shrink-0 flex-wrap items-center gap-2 border-b border-hair px-5 py-2.5">
        <Pill on={none} onClick={() => only({})}>
          All <b className="font-semibold">{plan.changes.toLocaleString("en")}</b>
        </Pill>
        {shapes
          .filter((s) => of(s) > 0)
          .map((s) => (
            <Pill key={s} on={filter.outcome === s} onClick={() => only(filter.outcome === s ? {} : { outcome: s })}>
              <Disc shape={s} label="" />
              {outcomeWord[s]} <b className="font-semibold">{of(s).toLocaleString("en")}</b>
            </Pill>
          ))}
        {plan.with_losses > 0 && (
          <Pill on={filter.with_losses} onClick={() => only(filter.with_losses ? {} : { losses: "1" })}>
            <Disc shape="loss" label="" />
            With losses <b className="font-semibold">{plan.with_losses}</b>
          </Pill>
        )}
        {plan.refused > 0 && (
          <Pill on={filter.refused} onClick={() => only(filter.refused ? {} : { refused: "1" })}>
            <span className="text-clash">{route.right.system_name} would refuse</span>{" "}
            <b className="font-semibold">{plan.refused.toLocaleString("en")}</b>
          </Pill>
        )}
        {plan.changes > plan.included && (
          <Pill on={filter.left_out} onClick={() => only(filter.left_out ? {} : { out: "1" })}>
            <Disc shape="left_out" label="" />
            Not in <b className="font-semibold">{plan.changes - plan.included}</b>
          </Pill>
        )}
        <span className="flex items-center gap-[7px] px-2 text-ink-2">
          <Disc shape="in_step" label="" />
          In step <b className="font-semibold">{plan.in_step.toLocaleString("en")}</b>
        </span>
        {plan.let_go > 0 && (
          <span className="px-2 text-ink-2" title="Pairs that a person let go: not carried, and not told again.">
            Let go <b className="font-semibold">{plan.let_go.toLocaleString("en")}</b>
          </span>
        )}
        {plan.links_back > 0 && (
          <span
            className="px-2 text-ink-2"
            title="When a change is carried out, its item at the left gets a link to the counterpart."
          >
            {route.left.system_name} gets <b className="font-semibold">{count(plan.links_back, "link")}</b>
          </span>
        )}
        <span className="ml-auto flex items-center gap-2">
          <FindBox
            label="Find changes"
            placeholder="Title or key"
            className="w-[120px]"
            value={filter.find ?? ""}
            onFind={(find) => set({ find, change: undefined })}
          />
          <select
            aria-label="Kind"
            className="field"
            value={filter.kind ?? ""}
            onChange={(e) => set({ kind: e.target.value, change: undefined })}
          >
            <option value="">Kind: all</option>
            {kinds.map((k) => (
              <option key={k} value={k}>
                {kindWord[k]}
              </option>
            ))}
          </select>
          <select
            aria-label="Field"
            className="field max-w-[120px]"
            value={filter.field ?? ""}
            onChange={(e) => set({ field: e.target.value, change: undefined })}
          >
            <option value="">Field: all</option>
            {plan.fields.map((f) => (
              <option key={f} value={f}>
                {fieldName(schema, undefined, f)}
              </option>
            ))}
          </select>
          <Legend />
        </span>
      </div>
      {plan.order_not_kept.length > 0 && (
        <p role="note" className="shrink-0 border-b border-hair bg-sheet px-5 py-1 text-ink-2">
          The order in which {plan.order_not_kept.map(kindsWord).join(", ")} stand in their folders is not carried:{" "}
          {route.right.system_name} has no place for it, or no rule writes it.
        </p>
      )}
      {plan.covered_twice > 0 && (
        <p role="note" className="shrink-0 border-b border-hair bg-sheet px-5 py-1 text-ink-2">
          {count(plan.covered_twice, "item")} {plan.covered_twice === 1 ? "is" : "are"} in the scope of more than one
          lane. Each is carried once, by the lane that carried it before or else by the first.
        </p>
      )}
      {plan.changes === 0 ? (
        <Empty title="Both ends are in step" action={<Button onClick={again}>Make a new dry run</Button>}>
          {count(plan.in_step, "item")} compared {ago(plan.made_at)}, nothing to carry.
        </Empty>
      ) : (
        <>
          <div className="grid shrink-0 grid-cols-[38px_1fr_128px_1fr_104px] border-b border-hair bg-sheet text-[11px] text-ink-3">
            <div className="flex items-center justify-center">
              <Check
                state={all}
                label="Take everything shown in, or leave it out"
                disabled={locked}
                onChange={() => include.mutate(all !== "in")}
              />
            </div>
            <div className="py-1.5 pr-2.5">Left · {route.left.system_name}</div>
            <div className="spine-cell flex items-center justify-center">
              <span className="bg-sheet px-1">
                {plan.included.toLocaleString("en")} of {plan.changes.toLocaleString("en")} in
              </span>
            </div>
            <div className="px-2.5 py-1.5">Right · {route.right.system_name}</div>
            <div className="px-2.5 py-1.5 text-right">Fields</div>
          </div>
          <div ref={box} data-testid="changes" className="min-h-[120px] flex-1 overflow-auto bg-sheet">
            {pages.isPending && <Loading what="the changes" />}
            {pages.error && <Trouble error={pages.error} />}
            {pages.data && items.length === 0 && (
              <p className="p-8 text-center text-ink-3">Nothing matches these filters.</p>
            )}
            <ul aria-label="Changes" style={{ height: rows.getTotalSize(), position: "relative" }}>
              {rows.getVirtualItems().map((v) => {
                const item = items[v.index];
                return (
                  item && (
                    <ChangeRow
                      key={v.key}
                      item={item}
                      top={v.start}
                      on={item.seq === chosen}
                      locked={locked}
                      select={() => set({ change: String(item.seq) })}
                      toggle={() => toggle(item)}
                    />
                  )
                );
              })}
            </ul>
          </div>
          {chosen >= 0 && items.length > 0 && (
            <Detail
              plan={plan.id}
              seq={chosen}
              locked={locked}
              decide={(body) => decide.mutate({ seq: chosen, body })}
            />
          )}
        </>
      )}
      {(error != null || failure != null) && (
        <div className="px-5">
          <Trouble error={error ?? failure} />
        </div>
      )}
      <Foot
        keys={
          <>
            <span>
              <Kbd>J</Kbd> <Kbd>K</Kbd> next, previous
            </span>
            <span>
              <Kbd>Space</Kbd> in or out
            </span>
            <span>
              <Kbd>C</Kbd> conflict
            </span>
            <span>
              <Kbd>L</Kbd> loss
            </span>
          </>
        }
      >
        <span className="text-right text-ink-2">
          <span title={exact(plan.made_at)}>made {ago(plan.made_at)}</span>
          {stale && <span className="text-clash"> with version {plan.route_version} of the rules</span>}
          {plan.with_losses > 0 && ` · ${count(plan.with_losses, "item")} with losses`}
          {waiting && plan.conflicts > 0 && ` · ${count(plan.conflicts, "conflict")}`}
          {plan.estimate && !locked && plan.included > 0 && (
            <span
              className="block"
              title={`Foreseen for what the dry run took in, from the limits of both ends and how long their calls took: ${count(plan.estimate.right_calls, "call")} to ${route.right.system_name}, ${plan.estimate.left_calls.toLocaleString("en")} to ${route.left.system_name}. Retries come on top.`}
            >
              about {count(plan.estimate.right_calls, "call")}, {span(plan.estimate.seconds)}
            </span>
          )}
        </span>
        <Link className="text-ink-2 underline decoration-hair underline-offset-3" to="../counterparts">
          Counterparts
        </Link>
        <Button onClick={again}>Dry run again</Button>
        {plan.changes > 0 && (
          <a
            className="rounded-md border border-ink-3 bg-sheet px-3 py-[5px] font-medium whitespace-nowrap"
            href={`/api/v1/plans/${plan.id}/file`}
            download
          >
            Save as file
          </a>
        )}
        {locked ? (
          <Button go onClick={() => void navigate("../transfer")}>
            Open its transfer
          </Button>
        ) : (
          <Button
            go
            disabled={plan.included === 0 || stale}
            title={stale ? "The rules were saved since; make a new dry run" : undefined}
            onClick={() => void transfer()}
          >
            Transfer {count(plan.included, "change")}
          </Button>
        )}
      </Foot>
    </>
  );
}

const notWritten: Schemas["Outcome"][] = [
  "blocked",
  "in_step",
  "gone_right",
  "gone_left",
  "left_scope",
  "unreadable",
  "taken_off",
];

/** Whether a change can be carried out at all: of an item that is not there only once somebody said how. */
export const writable = (i: Listed) => !notWritten.includes(i.outcome) || i.as_new || i.let_go;
