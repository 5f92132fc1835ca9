import { describe, expect, it } from "vitest";
import type { Lane } from "../route/draft";
import {
  computesBack,
  fillsOf,
  goesBack,
  goesBackTo,
  joinedField,
  ruleInto,
  withBack,
  withFill,
  withoutFill,
  type Fill,
} from "./fills";

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

  it("turns a way back on, by undoing the rule or by one of its own, and off again", () => {
    const way = (text: string): Fill => ({ target: "name", source: { computed: text }, conversions: [] });
    const one = withFill(lane([]), fill("title", "name"));
    const undone = withBack(one, "title", true);
    expect([goesBack(undone.rules[0]), undone.rules[0]?.into.left]).toEqual([true, null]);
    const own = withBack(undone, "title", false, way("fields.title"));
    expect([goesBack(own.rules[0]), own.rules[0]?.back, own.rules[0]?.into.left]).toEqual([
      true,
      false,
      way("fields.title"),
    ]);
    expect(withBack(own, "title", false)).toEqual(one);
    expect([fill("title", "name"), way("1"), { ...back, source: "links" as const }].map(computesBack)).toEqual([
      true,
      true,
      false,
    ]);
  });

  it("finds the only field that an expression names", () => {
    const names = ["name", "name_of", "note"].map((field) => ({
      text: `fields.${field}`,
      label: "",
      is: "text",
      field,
    }));
    const own = [...names, { text: "key", label: "", is: "text", field: null }];
    expect(joinedField('"N: " + fields.name', own)).toBe("name");
    expect(joinedField("fields.name_of + key", own)).toBe("name_of");
    expect(joinedField("fields.name + fields.note", own)).toBeUndefined();
    expect(joinedField(undefined, own)).toBeUndefined();
  });
});
