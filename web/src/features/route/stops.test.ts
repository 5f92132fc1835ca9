import { describe, expect, it } from "vitest";
import { someJob } from "@/api/some-job";
import { somePlan, someRoute } from "./some-route";
import { stops } from "./stops";

const at = (name: string, ...of: Parameters<typeof stops>) => {
  const found = stops(...of).find((s) => s.name === name);
  return [found?.figure, found?.done];
};

it("the stops stand in the order of the work, each with an address of its own", () => {
  const list = stops(someRoute({}));
  expect(list.map((s) => s.name)).toEqual(["Ends", "Scope", "Rules", "Counterparts", "Dry run", "Transfer", "Proof"]);
  expect(new Set(list.map((s) => s.to)).size).toBe(list.length);
});

it("a stop has the sign of what is wrong there, or of what waits", () => {
  const sign = (name: string, route: Parameters<typeof stops>[0]) => stops(route).find((s) => s.name === name)?.sign;
  const calm = someRoute({ plan: somePlan({}) });
  expect(stops(calm).filter((s) => s.sign)).toEqual([]);
  expect(sign("Ends", someRoute({ left: { ...calm.left, healthy: false } }))).toBe("wrong");
  expect(sign("Rules", someRoute({ rules: { count: 8, to_settle: 1 } }))).toBe("wrong");
  const outcomes = [
    { outcome: "adopt", kind: "test_case", included: false, count: 3 },
    { outcome: "adopt", kind: "test_case", included: true, count: 9 },
  ];
  const unsure = someRoute({ plan: somePlan({ outcomes, in_conflict: 2 }) });
  expect([sign("Counterparts", unsure), sign("Dry run", unsure)]).toEqual(["waits", "waits"]);
  expect(stops(unsure).find((s) => s.name === "Counterparts")?.figure).toBe("3 to decide");
  const ended = someJob({ state: "done", result: { done: 1, refused: 2 } });
  expect(sign("Transfer", someRoute({ transfer: ended }))).toBe("wrong");
  const proof = { id: "q", differences: 4, waits: 4, unexplained: 0, at: "2026-03-02T10:00:00Z" };
  expect(sign("Proof", someRoute({ proof }))).toBe("waits");
  expect(sign("Proof", someRoute({ proof: { ...proof, unexplained: 1 } }))).toBe("wrong");
});

describe("what each stop says", () => {
  const { left } = someRoute({});
  it("ends are to be surveyed before anything else is said of them", () => {
    const bare = { ...left, surveyed_at: null, healthy: false };
    expect(at("Ends", someRoute({ left: bare }))).toEqual(["to be surveyed", false]);
    expect(at("Ends", someRoute({ right: { ...left, healthy: false } }))).toEqual(["a check failed", false]);
    // An end that was never checked did not fail.
    expect(at("Ends", someRoute({ left: { ...left, healthy: null } }))[1]).toBe(true);
  });
  it("a scope that covers nothing is not done", () => {
    expect(at("Scope", someRoute({}))).toEqual(["1,200 of 2,345", true]);
    expect(at("Scope", someRoute({ scope: { matched: 0, total: 9 } }))).toEqual(["0 of 9", false]);
  });
  it("rules say how many problems they have, or that all are valid", () => {
    const route = someRoute({ rules: { count: 8, to_settle: 3 } });
    expect(at("Rules", route)).toEqual(["3 problems", false]);
    expect(at("Rules", someRoute({}))).toEqual(["8, all valid", true]);
    expect(at("Rules", someRoute({ rules: { count: 0, to_settle: 0 } }))[1]).toBe(false);
  });
  it("a transfer is counted while it runs; what was refused goes before when it was", () => {
    const running = someJob({ progress: { settled: 7, total: 12 } });
    expect(at("Transfer", someRoute({ transfer: running }))).toEqual(["7 of 12", false]);
    expect(at("Transfer", someRoute({ transfer: someJob({ state: "paused" }) }))).toEqual(["paused", false]);
    const ended = someJob({ state: "done", result: { done: 11, refused: 1 }, finished_at: "2026-03-02T09:10:00Z" });
    expect(at("Transfer", someRoute({ transfer: ended }))).toEqual(["1 refused", true]);
  });
  it("a plan of one change is no plan of changes", () => {
    expect(at("Dry run", someRoute({ plan: somePlan({ changes: 1 }) }))[0]).toBe("1 change");
    expect(at("Dry run", someRoute({}))).toEqual(["not run", false]);
  });
  it("a proof agrees, counts what waits, or what is unexplained before that", () => {
    const proof = { id: "q", differences: 0, waits: 0, unexplained: 0, at: "2026-03-02T10:00:00Z" };
    const says = (more: object) => at("Proof", someRoute({ proof: { ...proof, ...more } }));
    expect(says({})).toEqual(["agrees", true]);
    expect(says({ differences: 2, waits: 2 })).toEqual(["2 items wait", true]);
    expect(says({ differences: 3, waits: 1 })).toEqual(["1 item waits", true]);
    expect(says({ differences: 3, waits: 2, unexplained: 1 })).toEqual(["1 unexplained", true]);
    // What was decided differs for good, and is in order.
    expect(says({ differences: 4 })).toEqual(["agrees", true]);
  });
});
