// What Hovrel proposes for a lane and nobody has accepted: one by one with its evidence, or all from a level on.
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type Schemas } from "@/api/client";
import { keys } from "@/api/keys";
import { count } from "@/lib/words";
import { Button } from "@/ui/basics";
import { Pop } from "@/ui/pop";
import { Select } from "@/ui/select";
import { Scroll } from "@/ui/scroll";
import type { Lane, Route } from "../route/draft";
import type { endOf } from "../route/use-schema";
import { ruleWords, sourceField, sourceWords } from "./rule-words";
import { anyFill, ruleInto, type Fill } from "./fills";

export type Suggestion = Schemas["Suggestion"];

export function useSuggestions(route: Route, lane: Lane) {
  const { left_kind, right_kind, direction } = lane;
  return useQuery({
    queryKey: keys.suggestions(
      route.id,
      { left_kind, right_kind, direction },
      route.pairs,
      route.left.surveyed_at,
      route.right.surveyed_at,
    ),
    queryFn: () =>
      take(
        api.POST("/routes/{id}/suggestions", {
          params: { path: { id: route.id } },
          body: { left_kind, right_kind, direction },
        }),
      ),
    staleTime: 60_000,
  });
}

/** Levels from which suggestions are accepted together; how good they are is in docs/matching.md. */
export const levels = [
  [85, "from 85%"],
  [70, "from 70%"],
  [0, "all"],
] as const;

type Props = {
  route: Route;
  lane: Lane;
  /** The end that is read. */
  from: ReturnType<typeof endOf>;
  /** What a target is called. */
  name: (target: string) => string;
  accept: (fills: Fill[]) => void;
};

export function Suggestions({ route, lane, from, name, accept }: Props) {
  const found = useSuggestions(route, lane);
  const [level, setLevel] = useState(70);
  const open = (found.data ?? []).flatMap((s) => {
    const fill = anyFill(s.rule);
    return fill && !ruleInto(lane, fill.target) ? [{ ...s, fill }] : [];
  });
  if (open.length === 0) return null;
  const sure = open.filter((s) => s.score >= level);
  const source = (fill: Fill) =>
    from.kind?.fields.find((f) => f.id === sourceField(fill))?.name ?? sourceWords(fill) ?? ruleWords(fill);
  return (
    <div
      role="region"
      aria-label="Suggestions"
      className="flex shrink-0 items-center gap-3 border-b border-hair bg-wash px-5 py-1.5"
    >
      <span>
        <b className="font-semibold">{count(open.length, "suggestion")}</b> for fields without a rule
      </span>
      <Pop label="Show" title="Suggestions">
        <Scroll as="ul" aria-label="Suggestions" className="max-h-[420px] w-[520px] space-y-2">
          {open.map((s) => (
            <li
              key={s.fill.target}
              className="grid grid-cols-[1fr_auto] items-start gap-3 border-b border-hair-2 pb-2 last:border-0"
            >
              <div className="min-w-0">
                <p>
                  <b className="font-semibold">{source(s.fill)}</b> <span className="text-ink-2">→</span>{" "}
                  <b className="font-semibold">{name(s.fill.target)}</b> <span className="text-ink-2">{s.score}%</span>
                </p>
                <ul className="text-ink-2">
                  {s.evidence.map((e) => (
                    <li key={e}>{e}</li>
                  ))}
                </ul>
              </div>
              <Button
                aria-label={`Accept ${source(s.fill)} for ${name(s.fill.target)}`}
                onClick={() => accept([s.fill])}
              >
                Accept
              </Button>
            </li>
          ))}
        </Scroll>
      </Pop>
      <span className="ml-auto flex items-center gap-2">
        <Select
          aria-label="Level of suggestions"
          className="field"
          value={level}
          onChange={(chosen) => setLevel(Number(chosen))}
        >
          {levels.map(([value, words]) => (
            <option key={value} value={value}>
              {words}
            </option>
          ))}
        </Select>
        <Button disabled={sure.length === 0} onClick={() => accept(sure.map((s) => s.fill))}>
          Accept {sure.length}
        </Button>
      </span>
    </div>
  );
}
