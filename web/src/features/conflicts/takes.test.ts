import { describe, expect, it } from "vitest";
import type { Schemas } from "@/api/client";
import { clashesOf, pickedAll, takeWord } from "./takes";

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
});
