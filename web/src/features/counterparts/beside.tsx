// Two items side by side, field by field, as the rules see them: what differs first.
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, take } from "@/api/client";
import { keys } from "@/api/keys";
import { readEnd } from "@/lib/lanes";
import { count } from "@/lib/words";
import { Loading, Trouble } from "@/ui/basics";
import { Shown } from "@/ui/pieces";
import { Scroll } from "@/ui/scroll";
import type { Lane, Route } from "../route/draft";
import type { Matched } from "./use-matches";

export function Beside({ route, lane, row }: { route: Route; lane: Lane; row: Matched }) {
  const read = readEnd(lane);
  const [item, other] = [row.item.id, row.other?.id ?? ""];
  const [left_id, right_id] = read === "left" ? [item, other] : [other, item];
  const beside = useQuery({
    queryKey: keys.beside(route.id, lane.id, route.version, left_id, right_id),
    queryFn: () => {
      const params = { path: { id: route.id, lane: lane.id }, query: { left_id, right_id } };
      return take(api.GET("/routes/{id}/matches/{lane}/beside", { params }));
    },
    enabled: !!other,
    placeholderData: keepPreviousData,
    staleTime: 60_000,
  });
  const fields = beside.data ?? [];
  const differ = fields.filter((f) => !f.same);
  const same = fields.filter((f) => f.same);
  return (
    <Scroll as="section" aria-label="Side by side" className="min-h-0 flex-1 bg-sheet">
      {!other && <p className="px-4 py-3 text-ink-2">No counterpart; there is nothing to compare.</p>}
      {!!other && beside.isPending && <Loading what="both items" />}
      <Trouble error={beside.error} />
      {!!other && beside.data && (
        <>
          <p className="sticky top-0 border-b border-hair bg-wash px-4 py-1.5">
            <b className="font-semibold">
              {row.item.key} and {row.other?.key}
            </b>{" "}
            <span className="text-ink-2">
              {differ.length === 0
                ? "hold the same"
                : `differ in ${count(differ.length, "field")}, agree in ${same.length}`}
            </span>
          </p>
          {[...differ, ...same].map((f) => {
            const becomes = f.becomes ? (
              <Shown value={f.becomes} />
            ) : (
              <span className="text-ink-3">can’t be transferred</span>
            );
            const there = <Shown value={f.there} />;
            return (
              <div key={f.field_name} className="grid grid-cols-[1fr_150px_1fr] border-b border-hair-2">
                <div className="min-w-0 border-l-[3px] border-end-left py-1.5 pr-3 pl-4">
                  {read === "left" ? becomes : there}
                </div>
                <div className="py-1.5 text-center text-[11px] text-ink-2">
                  {f.field_name}
                  <span className={`block ${f.same ? "text-ink-3" : "text-loss"}`}>
                    {f.same ? "the same" : "differs"}
                  </span>
                </div>
                <div className="min-w-0 border-r-[3px] border-end-right px-3 py-1.5">
                  {read === "left" ? there : becomes}
                </div>
              </div>
            );
          })}
        </>
      )}
    </Scroll>
  );
}
