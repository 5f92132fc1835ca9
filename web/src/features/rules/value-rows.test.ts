import { describe, expect, it } from "vitest";
import type { ValueMap } from "./rule-words";
import { shared, valuesOf, withReturn, withRow } from "./value-rows";

const map: ValueMap = {
  rows: [
    { left: "Draft", right: "active", returns: true },
    { left: "Ready", right: "active", returns: false },
    { left: "Old", right: "archived", returns: true },
  ],
};
const back = (m: ValueMap) => m.rows.filter((r) => r.returns).map((r) => r.left);

describe("a row of a value map", () => {
  it("stays in its place when it leads elsewhere, and what it left has one way back", () => {
    const moved = withRow(map, "Draft", "archived");
    expect(moved.rows.map((r) => r.left)).toEqual(["Draft", "Ready", "Old"]);
    expect(back(moved)).toEqual(["Ready", "Old"]);
    expect(back(withRow(map, "Draft", undefined))).toEqual(["Ready", "Old"]);
    expect(back(withRow(map, "New", "active"))).toEqual(["Draft", "Old"]);
  });
  it("travels back alone of those with one right value", () => {
    expect(shared(map)).toEqual(new Set(["active"]));
    expect(back(withReturn(map, "Ready"))).toEqual(["Ready", "Old"]);
    expect(back(withRow(withReturn(map, "Ready"), "Old", "active"))).toEqual(["Ready"]);
  });
  it("is for every value in the order of the left, what is off its list after that", () => {
    expect(valuesOf(["B", "A"], ["X", "A", ""], { rows: [{ left: "Y", right: "", returns: false }] })).toEqual([
      "B",
      "A",
      "X",
      "Y",
      "",
    ]);
  });
});
