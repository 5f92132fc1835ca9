import { expect, it } from "vitest";
import { ownName } from "./lanes";

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
