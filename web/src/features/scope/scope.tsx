// The Scope stop: conditions at both ends of each lane, with what they match as they are typed.
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { api, take, type Schemas } from "@/api/client";
import { count } from "@/lib/words";
import { Button, Foot, Kbd, Loading, Trouble } from "@/ui/basics";
import { EndMark } from "@/ui/disc";
import { useKeys } from "@/app/keys";
import { useDraft, type Lane } from "../route/draft";
import { LanesBar, useLane } from "../route/lanes-bar";
import { endOf, useSchema } from "../route/use-schema";
import { ConditionEditor } from "./conditions";

export default function Scope() {
  const { route, save, dirty, changeLane, error } = useDraft();
  const navigate = useNavigate();
  const schema = useSchema(route);
  const [lane] = useLane();
  useKeys([{ key: "s", ctrl: true, does: "Save as a version", run: () => void save() }]);
  if (schema.isPending) return <Loading what="both ends" />;
  if (schema.error)
    return (
      <div className="p-8">
        <Trouble error={schema.error} />
      </div>
    );
  const name = (end: "left" | "right") => (l: Lane) => endOf(schema.data, l, end).kind?.name ?? "?";
  return (
    <>
      <LanesBar left={name("left")} right={name("right")} />
      <div className="grid min-h-0 flex-1 grid-cols-[1fr_56px_1fr] overflow-auto px-5 py-4">
        {(["left", "right"] as const).map((end) => {
          if (!lane) return null;
          const of = endOf(schema.data, lane, end);
          const key = end === "left" ? "left_scope" : "right_scope";
          const part = (
            <section key={end} aria-label={`${end} scope`} className="flex min-h-0 min-w-0 flex-col">
              <h2 className="mb-2 flex items-center gap-2 text-[14px] font-semibold">
                <EndMark end={end} />
                {of.name}: {of.kind?.name}
              </h2>
              <ConditionEditor
                kind={of.kind}
                survey={of.survey}
                value={lane[key] ?? { all: [] }}
                onChange={(c) => changeLane(lane.id, (l) => ({ ...l, [key]: c }))}
              />
              <Matched
                routeId={route.id}
                end={end}
                kind={end === "left" ? lane.left_kind : lane.right_kind}
                condition={lane[key] ?? { all: [] }}
              />
            </section>
          );
          return end === "left" ? [part, <div key="spine" aria-hidden className="spine-cell" />] : part;
        })}
      </div>
      {error != null && (
        <div className="px-5">
          <Trouble error={error} />
        </div>
      )}
      <Foot
        keys={
          <>
            <span>
              <Kbd>Ctrl S</Kbd> save
            </span>
            <span>
              <Kbd>Ctrl Z</Kbd> undo
            </span>
          </>
        }
      >
        {lane?.left_kind !== "folder" && (
          <span className="text-ink-2">Folders are limited to those that hold something in scope.</span>
        )}
        <Button disabled={!dirty} onClick={() => void save()}>
          Save as version {route.version + 1}
        </Button>
        <Button
          go
          onClick={() => void (dirty ? save().then((ok) => ok && navigate("../rules")) : navigate("../rules"))}
        >
          Settle the rules
        </Button>
      </Foot>
    </>
  );
}

function Matched({
  routeId,
  end,
  kind,
  condition,
}: {
  routeId: string;
  end: "left" | "right";
  kind: Schemas["Kind"];
  condition: Schemas["Condition"];
}) {
  const matched = useQuery({
    queryKey: ["scope", routeId, end, kind, condition],
    queryFn: () =>
      take(api.POST("/routes/{id}/scope", { params: { path: { id: routeId } }, body: { end, kind, condition } })),
    placeholderData: keepPreviousData,
  });
  if (matched.error) return <Trouble error={matched.error} />;
  const d = matched.data;
  return (
    <div className="mt-3 flex min-h-[180px] flex-1 flex-col rounded-lg border border-hair bg-sheet">
      <p className="border-b border-hair px-4 py-2" aria-live="polite">
        <b className="text-[15px] font-semibold">{d?.matched.toLocaleString("en") ?? "…"}</b>{" "}
        <span className="text-ink-2">
          of {d ? count(d.total, "item") : "…"} {d?.matched === 1 ? "matches" : "match"}
        </span>
      </p>
      <ul className="min-h-0 flex-1 overflow-auto" tabIndex={0} aria-label={`Items in scope at the ${end}`}>
        {d?.items.map((i) => (
          <li key={i.id} className="flex items-baseline gap-2 border-b border-hair-2 px-4 py-1">
            <span className="mono shrink-0 text-ink-2">{i.key}</span>
            <span className="truncate">{i.title}</span>
            <span className="ml-auto max-w-[40%] shrink-0 truncate text-ink-3">{i.path}</span>
          </li>
        ))}
        {d && d.items.length < d.matched && (
          <li className="px-4 py-1.5 text-ink-3">and {(d.matched - d.items.length).toLocaleString("en")} more</li>
        )}
        {d?.matched === 0 && (
          <li className="px-4 py-4 text-ink-3">Nothing matches. A dry run would find nothing here.</li>
        )}
      </ul>
    </div>
  );
}
