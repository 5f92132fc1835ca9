// Which lane is looked at; kept in the address.
import { useSearchParams } from "react-router";
import type { Schemas } from "@/api/client";
import { ownName } from "@/lib/lanes";
import { Pill, Pills } from "@/ui/pills";
import { useDraft, type Lane } from "./draft";

/** The lane in the address; without one, that of the test cases, or the last. */
export function useLane(): [Lane | undefined, (id: string) => void] {
  const { lanes } = useDraft();
  const [query, setQuery] = useSearchParams();
  const lane = lanes.find((l) => l.id === query.get("lane")) ?? mainLane(lanes);
  return [lane, (id) => setQuery({ lane: id }, { replace: true })];
}

/** The lane that most people look for first. */
export function mainLane<L extends { left_kind: Schemas["Kind"] }>(lanes: L[]): L | undefined {
  return lanes.find((l) => l.left_kind === "test_case") ?? lanes.at(-1);
}

export function LanesBar({
  left,
  right,
  marks,
  children,
}: {
  left: (l: Lane) => string;
  right: (l: Lane) => string;
  /** How many things wait in a lane. */
  marks?: (l: Lane) => number;
  children?: React.ReactNode;
}) {
  const { lanes } = useDraft();
  const [lane, setLane] = useLane();
  return (
    <div className="flex shrink-0 items-start gap-2 border-b border-hair px-5 py-2.5">
      <Pills label="Lanes">
        {lanes.map((l) => (
          <Pill key={l.id} on={l.id === lane?.id} onClick={() => setLane(l.id)}>
            <b className="font-semibold">{left(l)}</b> <span className="text-ink-2">→ {right(l)}</span>
            {ownName(l, lanes, (of) => of.id) && <span className="text-ink-2">· {l.id}</span>}
            {!!marks?.(l) && <b className="font-semibold text-clash">{marks(l)}</b>}
          </Pill>
        ))}
      </Pills>
      <div className="ml-auto flex shrink-0 items-center gap-3">{children}</div>
    </div>
  );
}
