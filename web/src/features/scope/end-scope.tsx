// The scope of one end of a lane: conditions as rows or as text, and what they cover.
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, take, type Schemas } from "@/api/client";
import { keys } from "@/api/keys";
import { useDebounce } from "use-debounce";
import { kindAt, otherEnd, readEnd } from "@/lib/lanes";
import { RESTS_MS } from "@/lib/rests";
import { Trouble } from "@/ui/basics";
import { EndMark } from "@/ui/disc";
import { ExpressionEditor } from "@/ui/expression-editor";
import { Pill, Pills } from "@/ui/pills";
import { useDraft, type Lane } from "../route/draft";
import { endOf, useNames, type RouteSchema } from "../route/use-schema";
import { ConditionEditor } from "./conditions";
import { Matched } from "./matched";

type End = "left" | "right";

/** Asks what a scope says and covers; `text` in place of the lane's own condition. */
function ask(routeId: string, body: Schemas["ScopeBody"], signal?: AbortSignal) {
  return take(api.POST("/routes/{id}/scope", { params: { path: { id: routeId } }, body, signal }));
}

function useScope(routeId: string, end: End, lane: Lane, lanes: Lane[], text?: string) {
  const [asked] = useDebounce(JSON.stringify({ lanes, text }), RESTS_MS);
  return useQuery({
    queryKey: keys.scope(routeId, end, lane.id, asked),
    queryFn: ({ signal }) => {
      const body = { end, lane: lane.id, ...(JSON.parse(asked) as { lanes: Lane[]; text?: string }) };
      return ask(routeId, body, signal);
    },
    placeholderData: keepPreviousData,
  });
}

export function EndScope({ end, lane, schema }: { end: End; lane: Lane; schema?: RouteSchema }) {
  const { route, lanes, changeLane } = useDraft();
  const [text, setText] = useState<string>();
  const [unfinished, setUnfinished] = useState(false);
  const of = endOf(schema, lane, end);
  const key = end === "left" ? "left_scope" : "right_scope";
  const kind = kindAt(lane, end);
  const value = lane[key] ?? { all: [] };
  const names = useNames(route, end, kind);
  const scope = useScope(route.id, end, lane, lanes, text);
  const answer = scope.data;
  // What the text says is the lane's condition as soon as it can be read.
  const said = text !== undefined && !scope.isPlaceholderData && answer?.text === text ? answer?.condition : undefined;
  useEffect(() => {
    if (said && JSON.stringify(said) !== JSON.stringify(value)) changeLane(lane.id, (l) => ({ ...l, [key]: said }));
    // Only what was read anew may change the lane: an undo must not be undone.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [said]);
  const toRows = async () => {
    // What was typed a moment ago may not have been read yet.
    if (text !== undefined && answer?.text !== text) {
      const read = await ask(route.id, { end, lane: lane.id, lanes, text }).catch(() => undefined);
      const condition = read?.text === text ? read.condition : undefined;
      if (condition) changeLane(lane.id, (l) => ({ ...l, [key]: condition }));
    }
    setText(undefined);
    setUnfinished(false);
  };
  return (
    <section aria-label={`${end} scope`} className="flex min-h-0 min-w-0 flex-col">
      <div className="mb-2 flex items-center gap-2">
        <h2 className="flex min-w-0 items-center gap-2 text-[14px] font-semibold">
          <EndMark end={end} />
          <span className="truncate">
            {of.name}: {of.kind?.name}
          </span>
        </h2>
        <Pills label="Show conditions as" className="ml-auto">
          <Pill on={text === undefined} onClick={() => void toRows()}>
            Rows
          </Pill>
          <Pill
            on={text !== undefined}
            onClick={() => (answer?.text == null ? setUnfinished(true) : setText(written(answer)))}
          >
            Text
          </Pill>
        </Pills>
      </div>
      <p className="mb-2 text-ink-2">
        {end === readEnd(lane)
          ? `Items that are transferred to ${route[otherEnd(end)].system_name}.`
          : `Where counterparts are looked for. It does not limit what is written: a pair stays a pair when its item leaves this scope.`}
      </p>
      {unfinished && answer?.text == null && (
        <p role="status" className="mb-2 text-clash">
          Finish or remove the incomplete condition first.
        </p>
      )}
      {text === undefined ? (
        <ConditionEditor
          value={value}
          faults={scope.isPlaceholderData ? [] : (answer?.faults ?? [])}
          context={{ system: route[end].system, container: route[end].container, names: names.data, survey: of.survey }}
          onChange={(c) => {
            setUnfinished(false);
            changeLane(lane.id, (l) => ({ ...l, [key]: c }));
          }}
        />
      ) : (
        <TextScope
          text={text}
          onChange={setText}
          names={names.data}
          answer={scope.isPlaceholderData ? undefined : answer}
        />
      )}
      {scope.error && <Trouble error={scope.error} />}
      <Matched
        end={end}
        at={route[end]}
        kind={kind}
        answer={answer}
        along={lane.along}
        onAlong={end === readEnd(lane) ? (along) => changeLane(lane.id, (l) => ({ ...l, along })) : undefined}
      />
    </section>
  );
}

/** Everything is in scope where there is no text; nobody needs to read “true”. */
function written(answer?: Schemas["ScopeAnswer"]): string {
  return answer?.text === "true" ? "" : (answer?.text ?? "");
}

type TextProps = {
  text: string;
  onChange: (text: string) => void;
  names?: Schemas["Names"];
  answer?: Schemas["ScopeAnswer"];
};

function TextScope({ text, onChange, names, answer }: TextProps) {
  const faults = answer?.text_faults ?? [];
  return (
    <div className="rounded-lg border border-hair bg-sheet p-3">
      <ExpressionEditor
        label="Conditions as text"
        value={text}
        onChange={onChange}
        names={names}
        faults={faults}
        hint='fields.priority == "High" && under(folder, "…")'
      />
      <div className="mt-1.5 text-ink-2" aria-live="polite">
        {faults.length === 0 ? (
          <p>An expression in CEL. Empty means everything. Ctrl Space offers names.</p>
        ) : (
          <>
            {faults.map((f, n) => (
              <p key={n} className="text-clash">
                At character {f.from + 1}: {f.message}
              </p>
            ))}
            <p>Until it can be read, the conditions stay as they were.</p>
          </>
        )}
      </div>
    </div>
  );
}
