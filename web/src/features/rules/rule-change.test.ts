import { describe, expect, it } from "vitest";
import { mapChanges, told } from "./rule-change";
import type { Fill } from "./fills";

const map = (rows: [string, string][], otherwise: "block" | "leave_empty" = "block"): Fill => ({
  target: "prio",
  source: { field: "imp" },
  conversions: [{ value_map: { rows: rows.map(([left, right]) => ({ left, right })), otherwise } }],
});

describe("what became of a rule", () => {
  it("is told by the field's name", () => {
    expect(told(map([]), () => "Importance")).toBe("Importance, value map");
    expect(told({ target: "t", source: { computed: "key" } }, (f) => f)).toBe("key, computed");
  });
  it("is told row by row where only the map differs", () => {
    const before = map([
      ["a", "A"],
      ["b", "B"],
    ]);
    const after = map(
      [
        ["a", "C"],
        ["", "D"],
      ],
      "leave_empty",
    );
    expect(mapChanges(before, after)).toEqual([
      "“a” becomes C instead of A",
      "“empty” becomes D",
      "“b” is no longer in the map",
      "others: left empty",
    ]);
    expect(mapChanges(before, { ...after, source: { field: "other" } })).toBeUndefined();
    expect(mapChanges(before, before)).toBeUndefined();
    const many = map(Array.from({ length: 9 }, (_, n) => [`v${n}`, "A"]));
    expect(mapChanges(map([]), many)?.at(-1)).toBe("and 3 more");
  });
});
