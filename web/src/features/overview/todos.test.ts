import { expect, it } from "vitest";
import { someJob } from "@/api/some-job";
import { somePlan, someRoute } from "../route/some-route";
import { todosOf } from "./todos";

const texts = (...of: Parameters<typeof todosOf>) => todosOf(...of).map((t) => t.text);

it("a route that is ready asks for its dry run, and then for each decision before the transfer", () => {
  expect(texts(someRoute({}))).toEqual(["Run a first dry run"]);
  const outcomes = [{ outcome: "adopt", kind: "test_case", included: false, count: 3 }];
  const plan = somePlan({ outcomes, included: 9, in_conflict: 1 });
  expect(texts(someRoute({ plan }))).toEqual([
    "Decide 3 counterparts",
    "Decide 1 item with fields in conflict",
    "Transfer 9 changes",
  ]);
  expect(texts(someRoute({ plan: { ...plan, outcomes: [], in_conflict: 0 }, version: 2 }))).toEqual([
    "Run the dry run again: the rules were saved since",
  ]);
});

it("nothing is asked while a job runs, and what went wrong is asked about first of all", () => {
  const plan = somePlan({ included: 9 });
  expect(texts(someRoute({ plan, transfer: someJob({ state: "running" }) }))).toEqual([]);
  const done = someJob({ state: "done", result: { done: 7, refused: 2 }, finished_at: "2026-03-02T11:00:00Z" });
  const proof = { id: "q", differences: 2, waits: 0, unexplained: 1, at: "2026-03-02T10:00:00Z" };
  const route = someRoute({ plan: { ...plan, transfer: done }, transfer: done, proof });
  expect(texts(route)).toEqual([
    "See 2 changes that the right refused",
    "Look into 1 unexplained difference",
    "Run a proof",
  ]);
});

it("what a proof found waiting is not forgotten once the plan is carried out", () => {
  const done = someJob({ state: "done", result: { done: 7, refused: 0 }, finished_at: "2026-03-02T09:00:00Z" });
  const proof = { id: "q", differences: 51, waits: 51, unexplained: 0, at: "2026-03-02T10:00:00Z" };
  const plan = somePlan({ included: 9 });
  expect(texts(someRoute({ plan: { ...plan, transfer: done }, transfer: done, proof }))).toEqual([
    "See 51 items that wait",
  ]);
  expect(texts(someRoute({ plan, transfer: done, proof }))).toEqual(["Transfer 9 changes"]);
});

it("each leads to where it is done", () => {
  const route = someRoute({ rules: { count: 8, to_settle: 1 }, left: { ...someRoute({}).left, surveyed_at: null } });
  expect(todosOf(route).map((t) => [t.text, t.to, t.wrong])).toEqual([
    ["Survey Oldstone", "/routes/r1/ends", false],
    ["Fix 1 rule problem", "/routes/r1/rules", true],
  ]);
});
