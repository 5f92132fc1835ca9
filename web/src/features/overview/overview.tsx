// Every route and where it stands, every system's health, what runs, what waits for a person.
import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate } from "react-router";
import { api, take, type Schemas } from "@/api/client";
import { over } from "@/api/jobs";
import { ago, exact } from "@/lib/format";
import { count } from "@/lib/words";
import { Button, Empty, Loading, Trouble } from "@/ui/basics";
import { EndMark } from "@/ui/disc";
import { nextStep } from "./next-step";

type Route = Schemas["RouteAnswer"];

const jobWord: Record<string, string> = { survey: "Survey", dry_run: "Dry run", transfer: "Transfer", proof: "Proof" };
const jobStop: Record<string, string> = { dry_run: "dry-run", transfer: "transfer", proof: "proof" };

export default function Overview() {
  const navigate = useNavigate();
  const overview = useQuery({
    queryKey: ["overview"],
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
          <Button go onClick={() => void navigate("/systems/new")}>
            Connect a system
          </Button>
        }
      >
        Hovrel carries requirements, test cases and results between systems. Begin with the two it should stand between.
      </Empty>
    );
  }
  return (
    <div className="mx-auto w-full max-w-[1240px] flex-1 overflow-auto px-5 py-5">
      <h1 className="sr-only">Overview</h1>
      <section aria-labelledby="routes-h" className="mb-7">
        <div className="mb-2 flex items-center justify-between">
          <h2 id="routes-h" className="text-[15px] font-semibold">
            Routes
          </h2>
          <Button onClick={() => void navigate("/routes/new")}>Make a route</Button>
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
      <div className="grid grid-cols-2 gap-6">
        <section aria-labelledby="systems-h">
          <div className="mb-2 flex items-center justify-between">
            <h2 id="systems-h" className="text-[15px] font-semibold">
              Systems
            </h2>
            <Button onClick={() => void navigate("/systems/new")}>Connect a system</Button>
          </div>
          <ul className="divide-y divide-hair-2 rounded-lg border border-hair bg-sheet">
            {systems.map((s) => (
              <li key={s.id} className="flex items-center gap-3 px-4 py-2.5">
                <Link to={`/systems/${s.id}`} className="font-medium hover:underline">
                  {s.name}
                </Link>
                <span className="mono text-ink-3">{s.address}</span>
                <span className="ml-auto">
                  <Health system={s} />
                </span>
              </li>
            ))}
          </ul>
        </section>
        <section aria-labelledby="jobs-h">
          <h2 id="jobs-h" className="mb-2 py-[5px] text-[15px] font-semibold">
            Lately
          </h2>
          <ul className="divide-y divide-hair-2 rounded-lg border border-hair bg-sheet">
            {jobs.length === 0 && <li className="px-4 py-2.5 text-ink-3">Nothing has run yet.</li>}
            {jobs.map((j) => {
              const route = routes.find((r) => r.id === j.route);
              const system = systems.find((s) => s.id === j.system);
              const to = route ? `/routes/${route.id}/${jobStop[j.kind]}` : `/systems/${j.system}`;
              return (
                <li key={j.id} className="flex items-baseline gap-3 px-4 py-2.5">
                  <Link to={to} className="font-medium hover:underline">
                    {jobWord[j.kind]}
                  </Link>
                  <span className="truncate text-ink-2">{route?.name ?? system?.name}</span>
                  <span
                    className={`ml-auto whitespace-nowrap ${j.state === "failed" ? "text-clash" : "text-ink-3"}`}
                    title={exact(j.created_at)}
                  >
                    {over(j) ? "" : "now "}
                    {j.state} · {ago(j.finished_at ?? j.created_at)}
                  </span>
                </li>
              );
            })}
          </ul>
        </section>
      </div>
    </div>
  );
}

export function Health({ system }: { system: Schemas["SystemAnswer"] }) {
  if (!system.check) return <span className="text-ink-3">not checked</span>;
  const bad = system.check.find((s) => s.state === "failed") ?? system.check.find((s) => s.state === "warning");
  if (!bad)
    return (
      <span className="text-ok" title={exact(system.checked_at)}>
        answers · {ago(system.checked_at)}
      </span>
    );
  return (
    <span className={bad.state === "failed" ? "text-clash" : "text-ink-2"} title={bad.found}>
      {bad.step}: {bad.state} · {ago(system.checked_at)}
    </span>
  );
}

export function RouteLine({ route }: { route: Route }) {
  const next = nextStep(route);
  return (
    <li className="grid grid-cols-[minmax(0,1fr)_minmax(0,2fr)_minmax(0,1fr)] items-center gap-4 rounded-lg border border-hair bg-sheet px-4 py-3">
      <div className="min-w-0">
        <Link
          to={`/routes/${route.id}/${route.plan ? "dry-run" : "scope"}`}
          className="block truncate text-[14px] font-semibold hover:underline"
        >
          {route.name}
        </Link>
        <span className="text-ink-3">
          {count(route.lanes.length, "lane")} · version {route.version}
        </span>
      </div>
      <div className="grid min-w-0 grid-cols-[1fr_90px_1fr] items-center gap-2">
        <span className="flex min-w-0 items-center gap-1.5">
          <EndMark end="left" />
          <span className="truncate">
            {route.left.system_name}
            <span className="text-ink-3"> / {route.left.container_name}</span>
          </span>
        </span>
        <span aria-hidden className="h-[2px] bg-[linear-gradient(90deg,var(--left),var(--right))]" />
        <span className="flex min-w-0 items-center justify-end gap-1.5">
          <span className="truncate">
            {route.right.system_name}
            <span className="text-ink-3"> / {route.right.container_name}</span>
          </span>
          <EndMark end="right" />
        </span>
      </div>
      <div className="min-w-0 text-right">
        <Link
          to={next.to}
          className={`hover:underline ${next.tone === "clash" ? "text-clash" : next.tone === "ok" ? "text-ok" : ""}`}
        >
          {next.text}
        </Link>
        <div className="text-ink-3">
          {count(route.pairs, "pair")} · proof {ago(route.proof?.at)}
        </div>
      </div>
    </li>
  );
}
