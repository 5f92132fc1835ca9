// Every screen of an installation in which the walks before left systems, routes, plans and proofs behind.
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

export async function screens(page: Page): Promise<string[]> {
  const routes = (await get(page, "/routes")) as { id: string; name: string }[];
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
    "/keys",
  ];
}
