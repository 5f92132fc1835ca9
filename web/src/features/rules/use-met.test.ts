import { describe, expect, it } from "vitest";
import type { Fill } from "./fills";
import { beforeTable } from "./use-met";

const map = { value_map: { rows: [{ left: "a", right: "b", returns: false }], otherwise: "block" as const } };

describe("what stands before a table", () => {
  const rule = (more: Partial<Fill>): Fill => ({
    target: "priority",
    source: { field: "level" },
    conversions: [],
    ...more,
  });

  it("ends where the table begins, so that its rows change nothing", () => {
    const before = beforeTable(rule({ conversions: [{ shorten: { to: 3 } }, map, { shorten: { to: 1 } }] }));
    expect(before?.conversions).toEqual([{ shorten: { to: 3 } }]);
    expect(beforeTable(rule({ conversions: [map] }))?.conversions).toEqual([]);
  });

  it("is asked for people apart from values", () => {
    const users = { users: { rows: [], otherwise: "block" as const } };
    const named = rule({ conversions: [{ shorten: { to: 3 } }, users] });
    expect(beforeTable(named)).toBeUndefined();
    expect(beforeTable(named, ["users"])?.conversions).toEqual([{ shorten: { to: 3 } }]);
    expect(beforeTable(rule({ target: "@links", source: "links" }), ["users"])).toBeUndefined();
  });

  it("is nothing where there is no table; links have one before it has rows", () => {
    expect(beforeTable(rule({ conversions: [{ shorten: { to: 3 } }] }))).toBeUndefined();
    expect(beforeTable(undefined)).toBeUndefined();
    expect(beforeTable(rule({ target: "@links", source: "links" }))?.conversions).toEqual([]);
  });
});
