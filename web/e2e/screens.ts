// Every screen of an installation in which the walks before left systems, routes, plans and proofs behind; of a route
// that was never run and of an access key too, which are made here if need be.
import type { Page } from "@playwright/test";

const stops = [
  "ends",
  "scope",
  "rules",
  "counterparts",
  "dry-run",
  "transfer",
  "transfer?show=last",
  "proof",
  "versions",
];
const views = ["fields", "items", "shape", "people", "tree"];

const get = (page: Page, path: string) =>
  page.evaluate(async (p) => (await (await fetch(`/api/v1${p}`)).json()) as unknown, path);

const post = (page: Page, path: string, body: unknown) =>
  page.evaluate(
    async ([path, body]) => {
      const { csrf } = (await (await fetch("/api/v1/session")).json()) as { csrf: string };
      const headers = { "content-type": "application/json", "x-hovrel-csrf": csrf };
      const answer = await fetch(`/api/v1${path}`, { method: "POST", headers, body });
      if (!answer.ok) throw new Error(`${path}: ${answer.status} ${await answer.text()}`);
      return (await answer.json()) as unknown;
    },
    [path, JSON.stringify(body)] as const,
  );

type End = { system: string; container: string };
type Route = { id: string; name: string; left: End; right: End; lanes: unknown[] };

const NEW = "Never run";

/** A route between the ends of another one, of which nothing was run; its id. */
export async function neverRun(page: Page): Promise<string> {
  const routes = (await get(page, "/routes")) as Route[];
  const there = routes.find((r) => r.name === NEW);
  if (there) return there.id;
  const like = routes.find((r) => r.name.startsWith("Lift control"))?.id ?? "";
  const { left, right, lanes } = (await get(page, `/routes/${like}`)) as Route;
  const end = ({ system, container }: End) => ({ system, container });
  return ((await post(page, "/routes", { name: NEW, left: end(left), right: end(right), lanes })) as Route).id;
}

export async function screens(page: Page): Promise<string[]> {
  const fresh = await neverRun(page);
  if (((await get(page, "/keys")) as unknown[]).length === 0)
    await post(page, "/keys", { name: "nightly transfer", may: ["look"], routes: null, expires_at: null });
  const routes = (await get(page, "/routes")) as Route[];
  const systems = (await get(page, "/systems")) as { id: string; name: string }[];
  const route = routes.find((r) => r.name.startsWith("Lift control"))?.id ?? "";
  const system = systems.find((s) => s.name === "Oldstone")?.id ?? "";
  const { surveys } = (await get(page, `/systems/${system}/surveys`)) as { surveys: { container: string }[] };
  const container = surveys[0]?.container ?? "";
  const path = `/systems/${system}/containers/${container}/artefacts?kind=test_case&limit=1`;
  const { items } = (await get(page, path)) as { items: { artefact: { id: string } }[] };
  const item = new URLSearchParams({ container, kind: "test_case", item: items[0]?.artefact.id ?? "" }).toString();
  return [
    "/",
    "/systems",
    "/systems/new",
    ...views.map((v) => `/systems/${system}?view=${v}`),
    `/systems/${system}/item?${item}`,
    "/routes",
    "/routes/new",
    ...stops.map((s) => `/routes/${route}/${s}`),
    ...stops.filter((s) => !s.includes("?")).map((s) => `/routes/${fresh}/${s}`),
    "/conflicts",
    "/record",
    "/keys",
  ];
}
