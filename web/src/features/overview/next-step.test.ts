import { expect, it } from "vitest";
import type { Schemas } from "@/api/client";
import { someJob } from "@/api/some-job";
import { somePlan, someRoute } from "@/features/route/some-route";
import { nextStep } from "./next-step";

const next = (more: Partial<Schemas["RouteAnswer"]>) => nextStep(someRoute(more));
const proof = (at: string, waits = 0, unexplained = 0) => ({
  id: "q",
  at,
  differences: waits + unexplained,
  waits,
  unexplained,
});
const transferred = { plan: somePlan({ transfer: someJob({ state: "done" }) }) };

it("each step is named when all before it are taken, and leads to its stop", () => {
  const { left } = someRoute({});
  const steps: [Partial<Schemas["RouteAnswer"]>, string, string][] = [
    [{ left: { ...left, healthy: false }, rules: { count: 1, to_settle: 1 } }, "fails its check", "ends"],
    [{ right: { ...left, surveyed_at: null } }, "has not been surveyed", "ends"],
    [{ rules: { count: 8, to_settle: 1 } }, "1 thing to settle in the rules", "rules"],
    [{}, "first dry run", "dry-run"],
    [{ plan: somePlan({}) }, "12 changes found, not transferred", "dry-run"],
    [{ plan: somePlan({ conflicts: 2 }) }, "12 changes found, 2 conflicts to decide", "dry-run"],
    [{ plan: somePlan({}), transfer: someJob({}) }, "transfer is running", "transfer"],
    [{ ...transferred }, "not proved", "proof"],
    [{ plan: somePlan({ changes: 0 }) }, "not proved", "proof"],
    [{ ...transferred, proof: proof("2026-03-02T10:00:00Z", 3) }, "3 items wait for you", "proof"],
    [{ ...transferred, proof: proof("2026-03-02T10:00:00Z", 3, 1) }, "1 difference unexplained", "proof"],
    [{ ...transferred, proof: proof("2026-03-02T10:00:00Z") }, "both ends agree", "proof"],
  ];
  for (const [more, words, stop] of steps) {
    const step = next(more);
    expect(step.text).toContain(words);
    expect(step.to).toBe(`/routes/r1/${stop}`);
  }
});

it("a proof from before the last transfer proves nothing of it", () => {
  const transfer = someJob({ state: "done", finished_at: "2026-03-02T09:30:00Z" });
  expect(next({ ...transferred, transfer, proof: proof("2026-03-02T09:00:00Z") }).text).toContain("since the last");
  expect(next({ ...transferred, transfer, proof: proof("2026-03-02T09:45:00Z") }).tone).toBe("ok");
});

it("only what nobody can explain is alarming", () => {
  expect(next({ ...transferred, proof: proof("2026-03-02T10:00:00Z", 3) }).tone).toBeUndefined();
  expect(next({ ...transferred, proof: proof("2026-03-02T10:00:00Z", 0, 1) }).tone).toBe("clash");
});
