// Items of one end that seem to be one thing twice. They are pointed out; nothing is merged.
import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, take, type Schemas } from "@/api/client";
import { count } from "@/lib/words";
import { Loading, Trouble } from "@/ui/basics";
import { EndMark } from "@/ui/disc";
import { itemPath } from "@/lib/paths";
import type { Lane, Route } from "../route/draft";

type Props = { route: Route; lane: Lane; left: string; right: string };

export function DoublesList({ route, lane, left, right }: Props) {
  const doubles = useQuery({
    queryKey: ["doubles", route.id, lane.id, route.left.surveyed_at, route.right.surveyed_at],
    queryFn: () => take(api.GET("/routes/{id}/doubles/{lane}", { params: { path: { id: route.id, lane: lane.id } } })),
    staleTime: 60_000,
  });
  if (doubles.isPending) return <Loading what="both ends" />;
  if (doubles.error) return <Trouble error={doubles.error} />;
  return (
    <div className="grid min-h-0 flex-1 grid-cols-2 gap-4 overflow-hidden px-5 py-4">
      <End end="left" name={left} route={route} kind={lane.left_kind} groups={doubles.data.left} />
      <End end="right" name={right} route={route} kind={lane.right_kind} groups={doubles.data.right} />
    </div>
  );
}

type EndProps = { end: "left" | "right"; name: string; route: Route; kind: string; groups: Schemas["DoubleGroup"][] };

function End({ end, name, route, kind, groups }: EndProps) {
  return (
    <section
      aria-label={`Doubles at ${name}`}
      className={`flex min-h-0 flex-col rounded-lg border border-hair bg-sheet ${end === "left" ? "border-l-[3px] border-l-end-left" : "border-r-[3px] border-r-end-right"}`}
    >
      <h2 className="flex items-center gap-1.5 border-b border-hair px-4 py-2 font-semibold">
        <EndMark end={end} />
        {name} <span className="font-normal text-ink-2">{count(groups.length, "group")} of doubles</span>
      </h2>
      <ul className="min-h-0 flex-1 overflow-auto" tabIndex={0} aria-label={`Groups at ${name}`}>
        {groups.map((g) => (
          <li key={g.items[0]?.id} className="border-b border-hair-2 px-4 py-2">
            <p className="text-[11px] text-ink-2">
              {count(g.items.length, "item")}, {g.score} % alike or more
            </p>
            {g.items.map((i) => (
              <p key={i.id} className="truncate" title={`${i.title} (${i.path})`}>
                <Link
                  className="mono mr-1.5 text-ink-2 underline decoration-hair underline-offset-3"
                  to={itemPath(route[end].system, route[end].container, kind, i.id)}
                >
                  {i.key}
                </Link>
                {i.title} <span className="text-ink-3">{i.path}</span>
              </p>
            ))}
          </li>
        ))}
        {groups.length === 0 && <li className="px-4 py-4 text-ink-3">Nothing is there twice.</li>}
      </ul>
    </section>
  );
}
