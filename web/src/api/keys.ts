// What the query cache calls what it holds. What hangs on a system, a route, a plan or a job begins with its
// name, so that a change asks again for what it may have changed, and for nothing else.
import type { QueryClient, QueryKey } from "@tanstack/react-query";
import type { Schemas } from "./client";

/** Part of a key: anything that tells one answer from another. */
type Parts = readonly unknown[];

export const keys = {
  session: ["session"],
  setup: ["setup"],
  profiles: ["profiles"],
  overview: ["overview"],
  accessKeys: ["access keys"],
  signingKey: ["signing key"],
  found: (words: string) => ["found", words],
  proposal: (...ends: Parts) => ["proposal", ...ends],

  systems: ["systems"],
  /** Everything about one system, or about all of them. */
  ofSystem: (system?: string) => ["system", ...(system ? [system] : [])],
  system: (system: string) => ["system", system, "itself"],
  containers: (system: string) => ["system", system, "containers"],
  surveys: (system: string) => ["system", system, "surveys"],
  folders: (system: string, ...of: Parts) => ["system", system, "folders", ...of],
  uses: (system: string, ...of: Parts) => ["system", system, "uses", ...of],
  artefacts: (system: string, ...of: Parts) => ["system", system, "artefacts", ...of],
  artefact: (system: string, ...of: Parts) => ["system", system, "artefact", ...of],

  routes: ["routes"],
  /** Everything about one route, or about all of them. */
  ofRoute: (route?: string) => ["route", ...(route ? [route] : [])],
  route: (route: string) => ["route", route, "itself"],
  versions: (route: string, ...of: Parts) => ["route", route, "versions", ...of],
  schema: (route: string, ...of: Parts) => ["route", route, "schema", ...of],
  names: (route: string, ...of: Parts) => ["route", route, "names", ...of],
  scope: (route: string, ...of: Parts) => ["route", route, "scope", ...of],
  checks: (route: string, ...of: Parts) => ["route", route, "checks", ...of],
  preview: (route: string, ...of: Parts) => ["route", route, "preview", ...of],
  suggestions: (route: string, ...of: Parts) => ["route", route, "suggestions", ...of],
  /** What reaches a table of a rule, as it is asked: values or people. */
  met: (route: string, what: string, asked: unknown, ...of: Parts) => ["route", route, what, asked, ...of],
  newField: (route: string, ...of: Parts) => ["route", route, "new field", ...of],
  matches: (route: string, ...of: Parts) => ["route", route, "matches", ...of],
  lanePairs: (route: string, ...of: Parts) => ["route", route, "pairs", ...of],
  alone: (route: string, ...of: Parts) => ["route", route, "alone", ...of],
  beside: (route: string, ...of: Parts) => ["route", route, "beside", ...of],
  others: (route: string, ...of: Parts) => ["route", route, "others", ...of],
  proof: (route: string, ...of: Parts) => ["route", route, "proof", ...of],
  proofs: (route: string) => ["route", route, "proofs"],

  /** Everything about one plan. */
  ofPlan: (plan: string) => ["plan", plan],
  changes: (plan: string, ...of: Parts) => ["plan", plan, "changes", ...of],
  change: (plan: string, seq: number) => ["plan", plan, "change", seq],
  alike: (plan: string, ...of: Parts) => ["plan", plan, "alike", ...of],
  pairs: (plan: string, ...of: Parts) => ["plan", plan, "pairs", ...of],
  receipt: (plan: string, ...of: Parts) => ["plan", plan, "receipt", ...of],

  /** Everything about the record. */
  ofRecord: ["record"],
  record: (...of: Parts) => ["record", ...of],
  /** Everything about conflicts. */
  ofConflicts: ["conflicts"],
  conflicts: (...of: Parts) => ["conflicts", "list", ...of],
  conflictEditors: ["conflicts", "editors"],
  conflictGroups: ["conflicts", "groups"],
  conflict: (id: string) => ["conflicts", "one", id],
  similarConflicts: (id: string) => ["conflicts", "similar", id],

  job: (job: string | undefined) => ["job", job],
  refused: (job: string, ...of: Parts) => ["job", job, "refused", ...of],
  losses: (job: string, ...of: Parts) => ["job", job, "losses", ...of],
} as const;

/** Asks again for all that begins with one of the keys. */
const again = async (queries: QueryClient, ...begin: QueryKey[]) => {
  await Promise.all(begin.map((queryKey) => queries.invalidateQueries({ queryKey })));
};

/** What may have changed after each thing that a person or a job did. */
export const refresh = {
  signedIn: (q: QueryClient) => again(q, keys.session, keys.setup),
  /** A system was connected or disconnected. */
  systems: (q: QueryClient) => again(q, keys.systems, keys.overview),
  /** A check or a survey: where a system stands, what its projects hold, and what routes find in them. */
  system: (q: QueryClient, system: string) =>
    again(q, keys.ofSystem(system), keys.systems, keys.overview, keys.routes, keys.ofRoute()),
  /** A route was made or removed. */
  routes: (q: QueryClient) => again(q, keys.routes, keys.overview),
  /** A version, a name or other ends of a route were saved: the route is what the answer says, and all about it is asked again. */
  saved: (q: QueryClient, route: Schemas["RouteAnswer"]) => {
    q.setQueryData(keys.route(route.id), route);
    return again(q, keys.ofRoute(route.id), keys.routes, keys.overview);
  },
  /** Where a route stands: its jobs, its plan, its name. */
  route: (q: QueryClient, route: string) => again(q, keys.route(route), keys.routes, keys.overview, keys.ofConflicts),
  /** A decision about a plan. */
  plan: (q: QueryClient, plan: string, route: string) => again(q, keys.ofPlan(plan), keys.route(route), keys.overview),
  /** Conflicts were decided about. */
  conflicts: (q: QueryClient) => again(q, keys.ofConflicts, keys.ofRecord, keys.overview, keys.routes, keys.ofRoute()),
  /** A proof was begun or has ended. */
  proof: (q: QueryClient, route: string) =>
    again(q, keys.proof(route), keys.proofs(route), keys.route(route), keys.routes, keys.overview),
  /** A transfer has ended or rests: pairs are known, and items show their counterparts. */
  transferred: (q: QueryClient, route: string, plan?: string) =>
    again(
      q,
      keys.ofRoute(route),
      keys.routes,
      keys.overview,
      keys.systems,
      keys.ofSystem(),
      keys.ofConflicts,
      keys.ofRecord,
      ...(plan ? [keys.ofPlan(plan)] : []),
    ),
};
