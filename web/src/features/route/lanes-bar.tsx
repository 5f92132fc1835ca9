// Which lane is looked at; kept in the address.
import { useSearchParams } from "react-router";
import { Pill } from "@/ui/basics";
import { useDraft, type Lane } from "./draft";

/** The lane in the address; the last one (usually the items, not their folders) if there is none. */
export function useLane(): [Lane | undefined, (id: string) => void] {
  const { lanes } = useDraft();
  const [query, setQuery] = useSearchParams();
  const lane = lanes.find((l) => l.id === query.get("lane")) ?? lanes.at(-1);
  return [lane, (id) => setQuery({ lane: id }, { replace: true })];
}

export function LanesBar({
  left,
  right,
  children,
}: {
  left: (l: Lane) => string;
  right: (l: Lane) => string;
  children?: React.ReactNode;
}) {
  const { lanes } = useDraft();
  const [lane, setLane] = useLane();
  return (
    <div className="flex shrink-0 items-center gap-2 border-b border-hair px-5 py-2.5">
      {lanes.map((l) => (
        <Pill key={l.id} on={l.id === lane?.id} onClick={() => setLane(l.id)}>
          <b className="font-semibold">{left(l)}</b> <span className="text-ink-2">→ {right(l)}</span>
        </Pill>
      ))}
      <div className="ml-auto flex items-center gap-3">{children}</div>
    </div>
  );
}
