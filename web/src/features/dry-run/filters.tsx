// Which changes are listed. Chips of one line divide the plan; those behind the stroke overlap with them.
import type { ReactNode } from "react";
import { useQueryParts } from "@/lib/use-query";
import { linkedEnds, namesOf, writtenEnds } from "@/lib/lanes";
import { count, kindWord, outcomeWord, type DiscShape } from "@/lib/words";
import { Disc, Legend } from "@/ui/disc";
import { FindBox } from "@/ui/find-box";
import { Pill, Pills } from "@/ui/pills";
import { Select } from "@/ui/select";
import { Tip } from "@/ui/tip";
import { useDraft } from "../route/draft";
import { anyFieldName, useSchema } from "../route/use-schema";
import { BesideThese } from "./beside-these";
import { countOf, outcomes, type Filter, type Plan } from "./listed";

export function Filters({ plan, filter }: { plan: Plan; filter: Filter }) {
  const { route } = useDraft();
  const { lanes } = route;
  const schema = useSchema(route).data;
  const [, set, only] = useQueryParts();
  const kinds = [...new Set(plan.outcomes.map((o) => o.kind))];
  const none = !filter.outcome && !filter.with_losses && !filter.in_conflict && !filter.left_out && !filter.refused;
  const out = plan.changes - plan.included;
  const chip = (on: boolean, to: Record<string, string>, sign: ReactNode, words: ReactNode, n: number) => (
    <Pill key={JSON.stringify(to)} on={on} onClick={() => only(on ? {} : to)}>
      {sign}
      {words} <b className="font-semibold">{n.toLocaleString("en")}</b>
    </Pill>
  );
  return (
    <div className="flex shrink-0 flex-wrap items-center gap-x-2 gap-y-1.5 border-b border-hair px-5 py-2">
      <Pills label="Changes by what becomes of them">
        {chip(none, {}, null, "All", plan.changes)}
        {outcomes
          .filter((s) => countOf(plan, s) > 0)
          .map((s: DiscShape) =>
            chip(filter.outcome === s, { outcome: s }, <Disc shape={s} label="" />, outcomeWord[s], countOf(plan, s)),
          )}
      </Pills>
      {(plan.with_losses > 0 || plan.in_conflict > 0 || plan.refused > 0 || out > 0) && (
        <Pills label="Of these" className="border-l border-ink-3 pl-2">
          <span aria-hidden className="text-ink-2">
            of these
          </span>
          {plan.in_conflict > 0 &&
            chip(
              filter.in_conflict,
              { conflicts: "1" },
              <Disc shape="conflict" label="" />,
              "With conflicts",
              plan.in_conflict,
            )}
          {plan.with_losses > 0 &&
            chip(
              filter.with_losses,
              { losses: "1" },
              <Disc shape="loss" label="" />,
              outcomeWord.loss,
              plan.with_losses,
            )}
          {plan.refused > 0 &&
            chip(
              filter.refused,
              { refused: "1" },
              null,
              <span className="text-clash">{namesOf(route, writtenEnds(lanes))} would refuse</span>,
              plan.refused,
            )}
          {out > 0 &&
            chip(filter.left_out, { out: "1" }, <Disc shape="left_out" label="" />, outcomeWord.left_out, out)}
        </Pills>
      )}
      <BesideThese plan={plan} />
      {plan.links_back > 0 && (
        <span className="px-1 text-ink-2">
          <Tip own says="With each transferred change, the item that it comes from gets a link to its counterpart.">
            {namesOf(route, linkedEnds(lanes))} gets <b className="font-semibold">{count(plan.links_back, "link")}</b>
          </Tip>
        </span>
      )}
      <span className="ml-auto flex flex-wrap items-center gap-2">
        <FindBox
          label="Find changes"
          placeholder="Title or key"
          className="w-[120px]"
          value={filter.find ?? ""}
          onFind={(find) => set({ find, change: undefined })}
        />
        <Select
          aria-label="Kind"
          className="field max-w-[130px]"
          value={filter.kind ?? ""}
          onChange={(chosen) => set({ kind: chosen, change: undefined })}
        >
          <option value="">Kind: all</option>
          {kinds.map((k) => (
            <option key={k} value={k}>
              {kindWord[k]}
            </option>
          ))}
        </Select>
        <Select
          aria-label="Field"
          className="field max-w-[120px]"
          value={filter.field ?? ""}
          onChange={(chosen) => set({ field: chosen, change: undefined })}
        >
          <option value="">Field: all</option>
          {plan.fields.map((f) => (
            <option key={f} value={f}>
              {anyFieldName(schema, f)}
            </option>
          ))}
        </Select>
        <Legend />
      </span>
    </div>
  );
}
