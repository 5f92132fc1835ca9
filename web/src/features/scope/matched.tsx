// What a scope covers: how many, which, and what is brought along.
import type { Schemas } from "@/api/client";
import { count } from "@/lib/words";
import { Select } from "@/ui/select";
import { useRoving } from "@/ui/roving";
import { Scroll } from "@/ui/scroll";
import type { Route } from "../route/draft";
import { ItemLink } from "../route/item-link";

type Props = {
  end: "left" | "right";
  /** The project that the items are of, and their kind. */
  at: Route["left"];
  kind: Schemas["Kind"];
  answer?: Schemas["ScopeAnswer"];
  along?: Schemas["Along"];
  onAlong?: (along: Schemas["Along"]) => void;
};

export function Matched({ end, at, kind, answer, along = "nothing", onAlong }: Props) {
  const roving = useRoving();
  const shown = answer?.items.length ?? 0;
  const covered = (answer?.matched ?? 0) + (answer?.along ?? 0);
  return (
    <div className="mt-3 flex min-h-[180px] flex-1 flex-col rounded-lg border border-hair bg-sheet">
      <div className="border-b border-hair px-4 py-2">
        <p aria-live="polite">
          <b className="text-[15px] font-semibold">{answer?.matched.toLocaleString("en") ?? "…"}</b>{" "}
          <span className="text-ink-2">
            of {answer ? count(answer.total, "item") : "…"} {answer?.matched === 1 ? "matches" : "match"}
          </span>
          {!!answer?.along && (
            <span className="text-ink-2">
              , and <b className="font-semibold text-ink">{answer.along.toLocaleString("en")}</b> come along
            </span>
          )}
        </p>
        {!!answer?.with_others && (
          <p className="text-ink-2">
            {count(answer.with_others, "more item")} {answer.with_others === 1 ? "is" : "are"} in this scope and
            transferred by another lane of the same kinds: nothing is transferred twice.
          </p>
        )}
        {onAlong && (
          <label className="mt-1 flex items-center gap-2 text-ink-2">
            Bring along
            <Select
              aria-label="Bring along"
              className="field"
              value={along}
              onChange={(chosen) => onAlong(chosen as Schemas["Along"])}
            >
              <option value="nothing">nothing else</option>
              <option value="linked">items they link to</option>
              <option value="reached">everything reachable by links</option>
            </Select>
          </label>
        )}
      </div>
      <Scroll
        as="ul"
        className="min-h-0 flex-1"
        aria-label={`Items in scope at the ${end}`}
        onKeyDown={roving.onKeyDown}
      >
        {answer?.items.map((i, n) => (
          <li key={i.id} className="flex items-baseline gap-2 border-b border-hair-2 px-4 py-1">
            <span className="min-w-0">
              <ItemLink end={at} kind={kind} item={i} tabIndex={roving.tabIndexOf(n, shown)} />
            </span>
            <span className="ml-auto max-w-[40%] shrink-0 truncate text-ink-3">{i.along ? "comes along" : i.path}</span>
          </li>
        ))}
        {shown < covered && (
          <li className="px-4 py-1.5 text-ink-3">and {(covered - shown).toLocaleString("en")} more</li>
        )}
        {answer && covered === 0 && (
          <li className="px-4 py-4 text-ink-3">Nothing matches. A dry run would find nothing here.</li>
        )}
      </Scroll>
    </div>
  );
}
