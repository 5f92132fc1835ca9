// A route as its line: its ends, and each stop with its figure and sign.
import { Link } from "react-router";
import type { Schemas } from "@/api/client";
import { count } from "@/lib/words";
import { RouteEnd, StopMark } from "../route/marks";
import { stops } from "../route/stops";

export function RouteLine({ route }: { route: Schemas["RouteAnswer"] }) {
  const list = stops(route);
  return (
    <li className="rounded-lg border border-hair bg-sheet px-4 py-3">
      <div className="flex flex-wrap items-baseline gap-x-3">
        <Link
          to={`/routes/${route.id}/${route.plan ? "dry-run" : "scope"}`}
          className="min-w-0 truncate text-[14px] font-semibold hover:underline"
        >
          {route.name}
        </Link>
        <span className="text-ink-2">
          <Link className="hover:underline" to={`/routes/${route.id}/rules`}>
            {count(route.lanes.length, "lane")}
          </Link>{" "}
          ·{" "}
          <Link className="hover:underline" to={`/routes/${route.id}/versions`}>
            version {route.version}
          </Link>{" "}
          ·{" "}
          <Link className="hover:underline" to={`/routes/${route.id}/counterparts`}>
            {count(route.pairs, "pair")}
          </Link>
        </span>
      </div>
      <div className="mt-1.5 grid grid-cols-[minmax(0,150px)_minmax(0,1fr)_minmax(0,150px)] items-center gap-3 max-[900px]:grid-cols-2">
        <RouteEnd side="left" end={route.left} small />
        <ol
          aria-label={`Stops of ${route.name}`}
          className="relative grid auto-cols-fr grid-flow-col max-[900px]:order-last max-[900px]:col-span-2"
        >
          <span aria-hidden className="absolute top-[5px] right-[7%] left-[7%] h-[2px] bg-hair" />
          {list.map((s) => (
            <li key={s.to} className="relative min-w-0 text-center text-[11px]">
              <Link to={`/routes/${route.id}/${s.to}`} className="group block">
                <StopMark stop={s} small />
              </Link>
            </li>
          ))}
        </ol>
        <RouteEnd side="right" end={route.right} small />
      </div>
    </li>
  );
}
