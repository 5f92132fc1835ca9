// Every field of the end that is written with its rule, then what no rule takes: a row each.
import type { Schemas } from "@/api/client";
import type { ReactNode } from "react";
import { percent } from "@/lib/format";
import { arrow, readEnd, writtenEnd } from "@/lib/lanes";
import { count, typeWord } from "@/lib/words";
import type { Lane, Route } from "../route/draft";
import type { endOf } from "../route/use-schema";
import { MakeField } from "./make-field";
import { RuleRow, type Row } from "./rule-row";
import { notTaken } from "./rows";
import { HISTORY, LINKS, fillFrom, sourceField, targetWord } from "./rule-words";
import { goesBack, ruleInto, type Fill } from "./fills";

type End = ReturnType<typeof endOf>;
type Props = {
  route: Route;
  lane?: Lane;
  left: End;
  right: End;
  rows: Row[];
  /** The target that is looked at. */
  current?: string;
  select: (target: string) => void;
  wrong: Map<string, string>;
  made: Map<string, Schemas["PreviewValue"]>;
  /** The key of the item on which rules are tried. */
  tried?: string;
  longestOf: (field: string) => number;
  setRule: (target: string, rule: Fill) => void;
  setLinkBack: (on: boolean) => void;
};

export function RulesTable(p: Props) {
  const { route, lane, left, right, rows, current, select, wrong, made, tried, longestOf, setRule, setLinkBack } = p;
  const ends = { left, right };
  const [read, from, to] = [readEnd(lane), ends[readEnd(lane)], ends[writtenEnd(lane)]];
  const { hanging, keepsHistory, unused } = notTaken(lane, from.kind, rows);
  const wayOf = (row: Row) => (lane?.direction === "both" && !goesBack(ruleInto(lane, row.target)) ? "→" : arrow(lane));
  /** The cells of a row, by what stands at the end that is read and at the one that is written. */
  const cells = (source: ReactNode, rule: ReactNode, filled: ReactNode) => (
    <>
      <td className="truncate border-b border-hair-2 py-1.5 pr-3 pl-5">{read === "left" ? source : filled}</td>
      <td className="spine-cell border-b border-hair-2 text-center text-[11px]">{rule}</td>
      <td className="truncate border-b border-hair-2 px-3">{read === "left" ? filled : source}</td>
    </>
  );
  const said = (words: string) => <span className="bg-sheet px-1">{words}</span>;
  return (
    <table className="w-full min-w-[640px] table-fixed">
      <colgroup>
        <col />
        <col className="w-[150px]" />
        <col />
        <col className="w-[27%]" />
      </colgroup>
      <thead className="sticky top-0 z-10 bg-sheet text-left text-[11px] text-ink-3">
        <tr>
          {[`${left.name} field`, "rule", `${right.name} field`, tried ? `Result for ${tried}` : "Result"].map(
            (h, n) => (
              <th
                key={h}
                className={`border-b border-hair px-3 py-1.5 font-normal ${n === 0 ? "pl-5" : ""} ${n === 1 ? "spine-cell text-center" : ""}`}
              >
                {n === 1 ? <span className="bg-sheet px-1">{h}</span> : h}
              </th>
            ),
          )}
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <RuleRow
            key={row.target}
            row={row}
            source={from.kind}
            way={wayOf(row)}
            on={row.target === current}
            select={select}
            fault={wrong.get(row.target)}
            value={made.get(row.target)}
            longest={row.rule ? longestOf(sourceField(row.rule) ?? "") : 0}
          />
        ))}
        {hanging.map((id) => (
          <tr key={id} className="text-ink-3">
            {cells(targetWord(id), said("not transferred"), "—")}
            <td className="border-b border-hair-2 px-3">no place for it at {to.name}</td>
          </tr>
        ))}
        {keepsHistory && (
          <tr className="text-ink-3">
            {cells(targetWord(HISTORY), said("kept by Hovrel"), "—")}
            <td className="border-b border-hair-2 px-3">shown on the item’s page</td>
          </tr>
        )}
        {from.kind?.fields.some((f) => f.id === LINKS && !f.read_only) && lane && (
          <tr>
            {cells(
              "Link to the counterpart",
              <label className="bg-sheet px-1">
                <input
                  type="checkbox"
                  className="mr-1 align-[-2px]"
                  aria-label="Link back to the counterpart"
                  checked={!!lane.policies?.link_back}
                  onChange={(e) => setLinkBack(e.target.checked)}
                />
                {lane.policies?.link_back ? "written" : "not written"}
              </label>,
              <span className="text-ink-2">where each item went</span>,
            )}
            <td className="border-b border-hair-2 px-3 text-ink-2">
              {lane.policies?.link_back
                ? `written in ${from.name}`
                : lane.direction === "both"
                  ? "nothing"
                  : `${from.name} is only read`}
            </td>
          </tr>
        )}
        {unused.map((f) => {
          const filled = from.survey?.fields.find((s) => s.field === f.id)?.filled ?? 0;
          return (
            <tr key={f.id} className="text-ink-3">
              {cells(
                <>
                  {f.name}
                  <span className="mono ml-1.5">
                    {typeWord[f.value_type]} · filled {percent(filled, from.survey?.count ?? 0)}
                  </span>
                </>,
                said("not transferred"),
                lane && to.kind?.makes?.length ? (
                  <MakeField
                    route={route}
                    lane={lane}
                    source={f}
                    toName={to.name}
                    made={(target) => setRule(target.id, fillFrom(target, f, longestOf(f.id)))}
                  />
                ) : (
                  "—"
                ),
              )}
              <td className="border-b border-hair-2 px-3">
                {count(filled, "item holds a value", "items hold a value")}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
