import { renderToStaticMarkup } from "react-dom/server";
import { expect, it } from "vitest";
import { failureOf } from "@/api/jobs";
import { someJob } from "@/api/some-job";
import { Trouble } from "./basics";

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
  for (const state of ["done", "running", "paused", "stopped"] as const)
    expect(told(failureOf(someJob({ state, error: "x" })))).toBe("");
  expect(told(undefined)).toBe("");
});

it("a fault of the page says so", () => {
  expect(told(new Error("boom"))).toMatch(/failed in this page.*boom.*Load the page again/);
});
