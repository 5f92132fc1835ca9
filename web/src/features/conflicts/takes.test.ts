import { describe, expect, it } from "vitest";
import type { Schemas } from "@/api/client";
import { clashesOf, isAsShown, pickedAll, stepsBefore, takeWord } from "./takes";

const value: Schemas["ValueDiff"] = { shape: "text", pieces: [] };
const made: Schemas["PartDetail"] = { part: "made", value };
const clash: Schemas["PartDetail"] = { part: "clash", base: value, left: value, right: value };

describe("what can be chosen for a conflict", () => {
  it("is named by what it writes", () => {
    expect(takeWord({ take: "left", right: value })).toBe("Use left");
    expect(takeWord({ take: "left" })).toBe("Keep left");
    expect(takeWord({ take: "right", left: value })).toBe("Use right");
    expect(takeWord({ take: "right" })).toBe("Keep right");
  });
  it("is a merge once every part that both ends edited is chosen", () => {
    const parts = [made, clash, made, clash];
    expect(clashesOf(parts)).toEqual([1, 3]);
    expect(pickedAll(parts, {})).toBeUndefined();
    expect(pickedAll(parts, { 1: "left" })).toBeUndefined();
    expect(pickedAll(parts, { 3: "both", 1: "left" })).toEqual(["left", "both"]);
    expect(pickedAll([made], {})).toEqual([]);
  });
  it("counts steps through all parts, by what is picked so far", () => {
    const list = (...after: (number | null)[]): Schemas["ValueDiff"] => ({
      shape: "steps",
      steps: after.map((n) => ({ before: 1, after: n, action: [], expected: [], data: [], call: [], files: [] })),
    });
    // The left took one of two out, the right put one in.
    const clash: Schemas["PartDetail"] = { part: "clash", base: list(1, 2), left: list(1, null), right: list(1, 2, 3) };
    const parts: Schemas["PartDetail"][] = [
      { part: "made", value: list(1, 2) },
      clash,
      { part: "made", value: list(1) },
    ];
    expect(stepsBefore(parts, {})).toEqual([0, 2, 5]);
    expect(stepsBefore(parts, { 1: "left" })).toEqual([0, 2, 3]);
    expect(stepsBefore(parts, { 1: "right" })).toEqual([0, 2, 5]);
    expect(stepsBefore(parts, { 1: "both" })).toEqual([0, 2, 6]);
    expect(stepsBefore(parts, { 1: "base" })).toEqual([0, 2, 4]);
    expect(stepsBefore([made, made], {})).toEqual([0, 0]);
  });
});

it("a decision is for the values and the state that were shown, whatever was decided and taken back between", () => {
  const shown = { generation: 2, state: "open", revision: 3 };
  const takenBack = { ...shown, revision: 5 };
  expect(isAsShown(takenBack, shown)).toBe(true);
  expect(isAsShown({ ...shown, generation: 3 }, shown)).toBe(false);
  expect(isAsShown({ ...shown, state: "settled" }, shown)).toBe(false);
});
