import { expect, it } from "vitest";
import { carryingBack, ownName } from "./lanes";

it("lanes from and to the same kinds are told apart by their names", () => {
  const lane = (id: string, left_kind: string, right_kind: string) => ({ id, left_kind, right_kind });
  const lanes = [
    lane("Folders", "folder", "folder"),
    lane("Critical cases", "test_case", "test_case"),
    lane("Routine cases", "test_case", "test_case"),
    lane("Cases as requirements", "test_case", "requirement"),
  ];
  const named = lanes.map((l) => ownName(l, lanes, (of) => of.id));
  expect(named).toEqual([undefined, "Critical cases", "Routine cases", undefined]);
  const given = lanes.map((l) => ({ ...l, name: l.id === "Folders" ? "" : `${l.id}, winter` }));
  expect(given.map((l) => ownName(l, given, (of) => of.id))).toEqual([
    undefined,
    "Critical cases, winter",
    "Routine cases, winter",
    "Cases as requirements, winter",
  ]);
});

it("a lane that is turned both ways goes back by the rules that can", () => {
  const into = { left: null, right: { target: "title", source: { field: "name" }, conversions: [] } };
  const rules = ["title", "origin"].map((id) => ({ id, into, back: false }));
  const lane = { id: "cases", left_kind: "test_case", right_kind: "test_case", rules } as const;
  const turned = carryingBack({ ...lane, rules }, ["title", "gone"]);
  expect(turned.direction).toBe("both");
  expect(turned.rules.map((r) => [r.id, r.back])).toEqual([
    ["title", true],
    ["origin", false],
  ]);
  expect(rules[0]?.back).toBe(false);
});
