// Every route and where it stands, every system's health, what runs, what waits for a person.
import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, take, type Schemas } from "@/api/client";
import { keys } from "@/api/keys";
import { over } from "@/api/jobs";
import { ago, exact } from "@/lib/format";
import { useTitle } from "@/lib/use-title";
import { ButtonLink, Empty, Loading, Trouble } from "@/ui/basics";
import { Disc } from "@/ui/disc";
import { RouteLine } from "./route-line";
import { todos, type Todo } from "./todos";

const jobWord: Record<string, string> = { survey: "Survey", dry_run: "Dry run", transfer: "Transfer", proof: "Proof" };
const jobStop: Record<string, string> = { dry_run: "dry-run", transfer: "transfer", proof: "proof" };

export default function Overview() {
  useTitle("Overview");
  const overview = useQuery({
    queryKey: keys.overview,
    queryFn: () => take(api.GET("/overview")),
    refetchInterval: 4000,
  });
  if (overview.isPending) return <Loading what="the overview" />;
  if (overview.error)
    return (
      <div className="p-8">
        <Trouble error={overview.error} retry={() => void overview.refetch()} />
      </div>
    );
  const { routes, systems, jobs } = overview.data;
  if (systems.length === 0) {
    return (
      <Empty
        title="Nothing is connected yet"
        action={
          <ButtonLink go to="/systems/new">
            Connect a system
          </ButtonLink>
        }
      >
        Hovrel transfers requirements, test cases and results between systems. Begin with the two it should connect.
      </Empty>
    );
  }
  return (
    <div className="grid w-full flex-1 content-start gap-x-7 gap-y-6 px-5 py-5 min-[1200px]:grid-cols-[minmax(0,1fr)_minmax(340px,30%)]">
      <h1 className="sr-only">Overview</h1>
      <div className="min-w-0 space-y-6">
        <Waiting list={todos(routes, systems)} />
        <section aria-labelledby="routes-h">
          <div className="mb-2 flex items-center justify-between">
            <h2 id="routes-h" className="text-[15px] font-semibold">
              Routes
            </h2>
            <ButtonLink to="/routes/new">Create a route</ButtonLink>
          </div>
          {routes.length === 0 && (
            <p className="rounded-lg border border-hair bg-sheet p-6 text-ink-2">
              No route yet. A route connects two ends: a project in one system and a project in another.
            </p>
          )}
          <ul className="space-y-2">
            {routes.map((r) => (
              <RouteLine key={r.id} route={r} />
            ))}
          </ul>
        </section>
      </div>
      <div className="min-w-0 space-y-6">
        <Systems systems={systems} />
        <Activity jobs={jobs} routes={routes} systems={systems} />
      </div>
    </div>
  );
}

/** What a person can do first. */
function Waiting({ list }: { list: Todo[] }) {
  return (
    <section aria-labelledby="waits-h">
      <h2 id="waits-h" className="mb-2 text-[15px] font-semibold">
        Waits for you
      </h2>
      {list.length === 0 ? (
        <p className="rounded-lg border border-hair bg-sheet px-4 py-2.5 text-ink-2">Nothing.</p>
      ) : (
        <ul className="divide-y divide-hair-2 rounded-lg border border-hair bg-sheet">
          {list.map((t) => (
            <li key={t.to + t.text} className="flex items-center gap-2.5 px-4 py-2">
              <Disc shape={t.wrong ? "blocked" : "conflict"} label={t.wrong ? "a problem" : "waits for you"} />
              <Link to={t.to} className="font-medium hover:underline">
                {t.text}
              </Link>
              <span className="ml-auto min-w-0 truncate text-ink-2">{t.of}</span>
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}

function Systems({ systems }: { systems: Schemas["SystemAnswer"][] }) {
  return (
    <section aria-labelledby="systems-h">
      <div className="mb-2 flex items-center justify-between">
        <h2 id="systems-h" className="text-[15px] font-semibold">
          Systems
        </h2>
        <ButtonLink to="/systems/new">Connect a system</ButtonLink>
      </div>
      <ul className="divide-y divide-hair-2 rounded-lg border border-hair bg-sheet">
        {systems.map((s) => (
          <li key={s.id} className="flex flex-wrap items-baseline gap-x-3 px-4 py-2">
            <Link to={`/systems/${s.id}`} className="font-medium hover:underline">
              {s.name}
            </Link>
            <span className="ml-auto">
              <Health system={s} />
            </span>
            <span className="mono w-full truncate text-ink-3">{s.address}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}

type ActivityProps = Pick<Schemas["Overview"], "jobs" | "routes" | "systems">;

function Activity({ jobs, routes, systems }: ActivityProps) {
  return (
    <section aria-labelledby="jobs-h">
      <h2 id="jobs-h" className="mb-2 text-[15px] font-semibold">
        Recent activity
      </h2>
      <ul className="divide-y divide-hair-2 rounded-lg border border-hair bg-sheet">
        {jobs.length === 0 && <li className="px-4 py-2.5 text-ink-2">Nothing has run yet.</li>}
        {jobs.map((j) => {
          const route = routes.find((r) => r.id === j.route);
          const system = systems.find((s) => s.id === j.system);
          const to = route ? `/routes/${route.id}/${jobStop[j.kind]}` : `/systems/${j.system}`;
          return (
            <li key={j.id} className="flex items-baseline gap-3 px-4 py-2">
              <Link to={to} className="shrink-0 font-medium hover:underline">
                {jobWord[j.kind]}
              </Link>
              <span className="min-w-0 truncate text-ink-2">{route?.name ?? system?.name}</span>
              <span
                className={`ml-auto whitespace-nowrap ${j.state === "failed" ? "text-clash" : "text-ink-2"}`}
                title={exact(j.finished_at ?? j.created_at)}
              >
                {over(j) ? "" : "now "}
                {j.state} · {ago(j.finished_at ?? j.created_at)}
              </span>
            </li>
          );
        })}
      </ul>
    </section>
  );
}

export function Health({ system }: { system: Schemas["SystemAnswer"] }) {
  if (!system.check) return <span className="text-ink-3">not checked</span>;
  const bad = system.check.find((s) => s.state === "failed") ?? system.check.find((s) => s.state === "warning");
  if (!bad)
    return (
      <span className="text-ok" title={exact(system.checked_at)}>
        reachable · {ago(system.checked_at)}
      </span>
    );
  return (
    <span className={bad.state === "failed" ? "text-clash" : "text-ink-2"} title={bad.found}>
      {bad.step}: {bad.state} · {ago(system.checked_at)}
    </span>
  );
}
