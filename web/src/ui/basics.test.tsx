import { renderToStaticMarkup } from "react-dom/server";
import { expect, it } from "vitest";
import { failureOf, type Job } from "@/api/jobs";
import { Trouble } from "./basics";

const someJob = (more: Partial<Job>): Job =>
  ({
    id: "j1",
    kind: "survey",
    state: "running",
    wanted: "run",
    progress: {},
    created_at: "2026-03-02T09:00:00Z",
    ...more,
  }) as Job;
const told = (error: unknown) => renderToStaticMarkup(<Trouble error={error} />).replaceAll(/<[^>]+>/g, " ");

it("a job that failed tells its own reason, and not that the page failed", () => {
  const reason = "Oldstone refuses the access key: 401. Give a new one under its connection.";
  for (const [kind, words] of [
    ["survey", "The survey failed"],
    ["dry_run", "The dry run failed"],
    ["transfer", "The transfer stopped"],
    ["proof", "The proof failed"],
  ] as const) {
    const text = told(failureOf(someJob({ kind, state: "failed", error: reason })));
    expect(text).toContain(words);
    expect(text).toContain(reason);
    expect(text).not.toMatch(/this page|Load the page/);
  }
});

it("a job that did not fail tells nothing", () => {
  for (const state of ["done", "running", "paused", "stopped"])
    expect(told(failureOf(someJob({ state, error: "x" })))).toBe("");
  expect(told(undefined)).toBe("");
});

it("a fault of the page says so", () => {
  expect(told(new Error("boom"))).toMatch(/failed in this page.*boom.*Load the page again/);
});
