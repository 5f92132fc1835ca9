import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { ValueMap } from "./rule-words";
import { settled, shared, valuesOf, withReturn, withRow } from "./value-rows";

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

describe("whatever is done to a value map", () => {
  const value = fc.constantFrom("", "a", "b", "c", "d");
  const rows = fc.uniqueArray(fc.record({ left: value, right: value, returns: fc.boolean() }), {
    selector: (r) => r.left,
  });
  type Edit = (m: ValueMap) => ValueMap;
  const edit = fc.oneof(
    fc.tuple(value, value).map(
      ([left, right]): Edit =>
        (m) =>
          withRow(m, left, right),
    ),
    value.map(
      (left): Edit =>
        (m) =>
          withRow(m, left, undefined),
    ),
    value.map(
      (left): Edit =>
        (m) =>
          withReturn(m, left),
    ),
  );

  it("each value has one row, and each right value one way back", () => {
    fc.assert(
      fc.property(rows, fc.array(edit), (rows, edits) => {
        const now = edits.reduce((m, change) => change(m), { rows: settled(rows) }).rows;
        expect(new Set(now.map((r) => r.left)).size).toBe(now.length);
        const ways = now.filter((r) => r.returns).map((r) => r.right);
        expect(ways.toSorted()).toEqual([...new Set(now.map((r) => r.right))].toSorted());
        expect(settled(now)).toEqual(now);
      }),
    );
  });
});
