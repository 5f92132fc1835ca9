import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Schemas } from "@/api/client";
import { conditionOf, groupOf, moved, size, type Condition } from "./group";

const row = (field: string): Condition => ({ row: { field, op: "is", value: "x" } });

describe("groups", () => {
  it("are what they were, and one row is a group of itself", () => {
    const any: Condition = { any: [row("a"), { all: [] }] };
    expect(conditionOf(groupOf(any))).toEqual(any);
    expect(conditionOf(groupOf(row("a")))).toEqual({ all: [row("a")] });
  });
  it("hold what was in them, however deep", () => {
    const { any } = fc.letrec<{ any: Condition }>((tie) => ({
      any: fc.oneof(
        { depthSize: "small" },
        fc.constantFrom("a", "b").map(row),
        fc.constant<Condition>({ expression: "true" }),
        fc.array(tie("any"), { maxLength: 3 }).map((all): Condition => ({ all })),
        fc.array(tie("any"), { maxLength: 3 }).map((any): Condition => ({ any })),
      ),
    }));
    fc.assert(
      fc.property(any, (condition) => {
        const group = groupOf(condition);
        expect(groupOf(conditionOf(group))).toEqual(group);
        expect(size(conditionOf(group))).toBe(size(condition));
        expect(group.list.reduce((n, c) => n + size(c), 0)).toBe(size(condition));
      }),
    );
  });
  it("are as large as what is in them", () => {
    expect(size({ all: [row("a"), { any: [row("b"), { expression: "true" }] }, { all: [] }] })).toBe(3);
  });
});

describe("a row for another field", () => {
  const text: Schemas["Place"] = { field: "a", name: "A", holds: "text", operators: ["is", "contains"] };
  const number: Schemas["Place"] = { field: "n", name: "N", holds: "number", operators: ["is", "at_least"] };
  const flag: Schemas["Place"] = { field: "f", name: "F", holds: "yes_no", operators: ["is"] };
  it("keeps comparison and value where they go with it", () => {
    const from = { field: "a", op: "contains" as const, value: "x" };
    expect(moved(from, { ...text, field: "b" }, text)).toEqual({
      field: "b",
      op: "contains",
      value: "x",
      values: undefined,
    });
    expect(moved(from, number, text)).toEqual({ field: "n", op: "is", value: "", values: [] });
    expect(moved(from, flag, text).value).toBe("yes");
  });
});
