import { describe, expect, it } from "vitest";
import type { Lane } from "../route/draft";
import { fillsOf, goesBackTo, ruleInto, withFill, withoutFill, type Fill } from "./fills";

const fill = (target: string, from: string): Fill => ({ target, source: { field: from }, conversions: [] });
const lane = (rules: Lane["rules"]): Lane => ({ id: "l", left_kind: "defect", right_kind: "defect", rules });
const back = fill("name", "title");

describe("filling a slot", () => {
  it("adds a rule with an id of its own, or changes the rule that fills it already", () => {
    const one = withFill(lane([{ id: "text", into: { left: null, right: fill("title", "name") } }]), fill("text", "x"));
    expect(one.rules.map((r) => r.id)).toEqual(["text", "text 2"]);
    const changed = withFill(one, fill("title", "summary"));
    expect(changed.rules.map((r) => r.id)).toEqual(["text", "text 2"]);
    expect(fillsOf(changed).map((f) => f.source)).toEqual([{ field: "summary" }, { field: "x" }]);
  });

  it("leaves what a rule does on its way into the left", () => {
    const both = lane([{ id: "a", into: { left: back, right: fill("title", "name") }, back: false }]);
    expect(withFill(both, fill("title", "key")).rules[0]?.into.left).toEqual(back);
    const without = withoutFill(both, "title");
    expect(without.rules.map((r) => r.into)).toEqual([{ left: back, right: null }]);
    expect([fillsOf(without), ruleInto(without, "title")]).toEqual([[], undefined]);
    expect(withoutFill(withFill(lane([]), fill("title", "name")), "title").rules).toEqual([]);
    expect(withoutFill(both, "other")).toBe(both);
  });

  it("says what an edit at the right can go back to", () => {
    const from = (source: Fill["source"]) => ({ source }) as Fill;
    expect(goesBackTo(from({ field: "summary" }), "Summary")).toBe("Summary");
    expect(goesBackTo(from("comments"), undefined)).toBe("the comments");
    expect(goesBackTo(from("history"), undefined)).toBeUndefined();
  });
});
