// The Rules stop: fields of both ends with the rule on the spine, tried out on a real item.
import { useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { useNavigate } from "react-router";
import { api, take } from "@/api/client";
import { refresh } from "@/api/keys";
import { useKeys } from "@/app/keys";
import { otherEnd, readEnd, withPolicy, writtenEnd } from "@/lib/lanes";
import { Loading, Trouble } from "@/ui/basics";
import { Scroll } from "@/ui/scroll";
import { useDraft, type Lane } from "../route/draft";
import { LaneBothEdited, LaneDirection, LanesBar, useLane } from "../route/lanes-bar";
import { endOf, useSchema } from "../route/use-schema";
import { targetWord, valueMapOf } from "./rule-words";
import { fillOf, ruleInto, withBack, withFill, withoutFill, type Fill } from "./fills";
import { ItemStepper } from "./item-stepper";
import { RulePanel } from "./rule-panel";
import { RulesFoot } from "./rules-foot";
import { RulesTable } from "./rules-table";
import { rowsOf } from "./rows";
import { Suggestions } from "./suggestions";
import { useTrial } from "./use-trial";

export default function Rules() {
  const { route, lanes, changeLane, save, dirty, error } = useDraft();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const schema = useSchema(route);
  const [lane, setLane] = useLane();
  const [selected, setSelected] = useState<string>();
  const [failure, setFailure] = useState<unknown>();
  const trial = useTrial(route, lanes, lane);
  const { faults, preview, step } = trial;
  const [read, written] = [readEnd(lane), writtenEnd(lane)];
  const filledKind = endOf(schema.data, lane, written).kind;
  const rows = useMemo(() => (lane ? rowsOf(lane, filledKind) : []), [lane, filledKind]);
  const survey = endOf(schema.data, lane, read).survey;
  const longest = useMemo(() => new Map(survey?.fields.map((f) => [f.field, f.longest])), [survey]);
  const current = rows.find((r) => r.target === selected) ?? rows.find((r) => valueMapOf(r.rule)) ?? rows[0];
  const move = (by: number) => {
    const n = rows.findIndex((r) => r.target === current?.target);
    setSelected(rows[Math.min(Math.max(n + by, 0), rows.length - 1)]?.target);
  };
  const blocking = faults.data?.filter((f) => f.blocks) ?? [];
  const dryRun = async () => {
    setFailure(undefined);
    try {
      if (dirty && !(await save())) return;
      await take(api.POST("/routes/{id}/dry-runs", { params: { path: { id: route.id } } }));
      await refresh.route(queries, route.id);
      await navigate("../dry-run");
    } catch (caught) {
      setFailure(caught);
    }
  };
  useKeys([
    { key: "ArrowDown", does: "Next field", run: () => move(1) },
    { key: "ArrowUp", does: "Previous field", run: () => move(-1) },
    {
      key: "Enter",
      does: "Edit the rule",
      run: () => document.getElementById("rule-panel")?.querySelector<HTMLElement>("select, input, button")?.focus(),
    },
    { key: "]", does: "Preview the next item", run: () => step(1) },
    { key: "[", does: "Preview the previous item", run: () => step(-1) },
    {
      key: "s",
      does: "Next problem",
      run: () => {
        const here = blocking.findIndex((f) => f.lane === lane?.id && f.field === current?.target);
        const next = blocking[(here + 1) % Math.max(blocking.length, 1)];
        if (!next) return;
        setLane(next.lane);
        setSelected(next.field);
      },
    },
    { key: "s", ctrl: true, does: "Save as a version", run: () => void save() },
  ]);
  if (schema.isPending) return <Loading what="both ends" />;
  if (schema.error)
    return (
      <div className="p-8">
        <Trouble error={schema.error} />
      </div>
    );
  if (!schema.data.left || !schema.data.right)
    return (
      <div className="p-8">
        <p>Both ends must be surveyed before rules can be checked.</p>
      </div>
    );
  const left = endOf(schema.data, lane, "left"),
    right = endOf(schema.data, lane, "right");
  const ends = { left, right };
  const name = (end: "left" | "right") => (l: Lane) => endOf(schema.data, l, end).kind?.name ?? "?";
  const setRule = (target: string, fill: Fill | undefined) => {
    if (!lane) return;
    setSelected(target);
    changeLane(lane.id, (l) => (fill ? withFill(l, fill) : withoutFill(l, target)));
  };
  const longestOf = (field: string) => longest.get(field) ?? 0;
  const setLinkBack = (link_back: boolean) => lane && changeLane(lane.id, (l) => withPolicy(l, { link_back }));
  return (
    <>
      <LanesBar left={name("left")} right={name("right")} marks={(l) => blocking.filter((f) => f.lane === l.id).length}>
        <LaneDirection left={left.name} right={right.name} />
        <LaneBothEdited left={left.name} right={right.name} />
        {preview.data?.item && <ItemStepper preview={preview.data} step={step} />}
      </LanesBar>
      {lane && (
        <Suggestions
          route={route}
          lane={lane}
          name={(target) =>
            targetWord(
              target,
              ends[written].kind?.fields.find((f) => f.id === target),
            )
          }
          from={ends[read]}
          accept={(fills) => changeLane(lane.id, (l) => fills.reduce(withFill, l))}
        />
      )}
      <div className="flex min-h-[320px] flex-1">
        <Scroll aria-label="Rules" className="min-w-0 flex-1 bg-sheet">
          <RulesTable
            route={route}
            lane={lane}
            left={left}
            right={right}
            rows={rows}
            current={current?.target}
            select={setSelected}
            wrong={trial.wrong}
            made={trial.made}
            tried={preview.data?.item?.key}
            longestOf={longestOf}
            setRule={setRule}
            setLinkBack={setLinkBack}
          />
        </Scroll>
        <aside
          id="rule-panel"
          aria-label="Rule"
          tabIndex={0}
          className="w-[clamp(330px,31%,520px)] shrink-0 overflow-auto border-l border-hair bg-sheet"
        >
          {current && lane && (
            <RulePanel
              key={`${lane.id} ${current.target}`}
              route={route}
              lane={lane}
              target={current.target}
              schema={current.schema}
              rule={current.rule}
              from={ends[read]}
              to={ends[written]}
              faults={faults.data?.filter((f) => f.lane === lane.id && f.field === current.target) ?? []}
              setRule={(r) => setRule(current.target, r)}
              back={ruleInto(lane, current.target)?.back ?? false}
              wayBack={fillOf(ruleInto(lane, current.target), otherEnd(written))}
              setWayBack={(back, into) => changeLane(lane.id, (l) => withBack(l, current.target, back, into))}
              result={trial.made.get(current.target)}
              of={preview.data?.item?.key}
              at={preview.data?.at ?? 0}
            />
          )}
        </aside>
      </div>
      {(error != null || failure != null) && (
        <div className="px-5">
          <Trouble error={error ?? failure} />
        </div>
      )}
      <RulesFoot
        problems={blocking.length}
        valid={!!faults.data && blocking.length === 0}
        version={route.version + 1}
        save={dirty ? () => void save() : undefined}
        dryRun={() => void dryRun()}
      />
    </>
  );
}
