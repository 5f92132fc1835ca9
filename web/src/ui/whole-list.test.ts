import fc from "fast-check";
import { expect, it } from "vitest";
import { byCause } from "./whole-list";

it("counts every item once, the most frequent cause first", () => {
  const list = ["left out", "refused", "left out"];
  expect(byCause(list, (cause) => cause)).toEqual([
    ["left out", 2],
    ["refused", 1],
  ]);
  fc.assert(
    fc.property(fc.array(fc.constantFrom("a", "b", "c")), (items) => {
      const found = byCause(items, (cause) => cause);
      expect(found.reduce((n, [, count]) => n + count, 0)).toBe(items.length);
      expect(found.map(([, count]) => count)).toEqual(found.map(([, count]) => count).toSorted((a, b) => b - a));
    }),
  );
});
