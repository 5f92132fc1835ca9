// What types of links become: one row per type met in scope.
import type { Schemas } from "@/api/client";
import { linkWord, linkTypeOf } from "@/lib/words";
import { Select } from "@/ui/select";
import type { Conversion } from "./rule-words";
import type { Fill } from "./fills";
import { fromEdge, toEdge, type Sides } from "./sides";

type LinkType = Schemas["LinkType"];
type Map = Schemas["LinkTypes"];
type Props = {
  rule: Fill;
  sides: Sides;
  /** Types met, as people read them, with how many items in scope have such links; unknown while it is asked for. */
  met?: Schemas["ValueCount"][];
  /** Types kept at the other end; any if undefined. */
  kept: LinkType[] | undefined;
  setRule: (rule: Fill) => void;
};

const OUT = "\u0000";

const isMap = (c: Conversion): c is { link_types: Map } => typeof c === "object" && "link_types" in c;

export function LinkTypesEditor({ rule, sides, met, kept, setRule }: Props) {
  const rows = rule.conversions?.find(isMap)?.link_types.rows ?? [];
  const words = [
    ...new Set([...(met ?? []).map((m) => m.value).filter(Boolean), ...rows.map((r) => linkWord(r.left))]),
  ];
  const keeps = (word: string) => !kept || kept.some((k) => linkWord(k) === word);
  const nearest = kept?.some((k) => k === "relates_to") ? "relates to" : undefined;
  const set = (word: string, choice: string) => {
    const others = rows.filter((r) => linkWord(r.left) !== word);
    const right = choice === OUT ? null : linkTypeOf(choice);
    const now = choice ? [...others, { left: linkTypeOf(word), right }] : others;
    setRule({ ...rule, conversions: now.length ? [{ link_types: { rows: now } }] : [] });
  };
  if (words.length === 0) return <p className="text-ink-2">{met ? "No item in scope has links." : "…"}</p>;
  return (
    <>
      <div className="grid grid-cols-[1fr_48px_18px_1fr] items-center text-[11px] text-ink-3">
        <span>{sides.from}</span>
        <span className="text-right">items</span>
        <span />
        <span>{sides.to}</span>
      </div>
      <ul className="mt-1 space-y-1.5">
        {words.map((word) => {
          const row = rows.find((r) => linkWord(r.left) === word);
          const choice = !row ? "" : row.right ? linkWord(row.right) : OUT;
          const lost = choice === OUT || (!row && !keeps(word));
          const stays = keeps(word) ? "stays" : nearest ? `${nearest}, as a loss` : "left out, as a loss";
          return (
            <li key={word} className="grid grid-cols-[1fr_48px_18px_1fr] items-center">
              <span className={`truncate rounded-[5px] border border-hair bg-sheet px-2 py-[2px] ${fromEdge(sides)}`}>
                {word}
              </span>
              <span className="mono text-right text-ink-3">
                {met && (met.find((m) => m.value === word)?.count ?? 0)}
              </span>
              <span className="text-center text-ink-3">→</span>
              <Select
                aria-label={`Links “${word}” become`}
                value={choice}
                onChange={(chosen) => set(word, chosen)}
                className={`w-full min-w-0 rounded-[5px] border px-1.5 py-[3px] ${lost ? "border-loss text-loss" : `border-hair ${toEdge(sides)}`}`}
              >
                <option value="">{stays}</option>
                {(kept ?? []).map((k) => (
                  <option key={linkWord(k)}>{linkWord(k)}</option>
                ))}
                <option value={OUT}>left out, as a loss</option>
              </Select>
            </li>
          );
        })}
      </ul>
    </>
  );
}
