import { expect, it } from "vitest";
import { arrow, kindAt, ownName, readEnd, turnedWords, writtenEnd } from "./lanes";

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

it("a lane reads one end and writes the other, whichever way it runs", () => {
  const kinds = { left_kind: "requirement", right_kind: "test_case" };
  const lanes = (["to_right", "to_left", "both"] as const).map((direction) => ({ ...kinds, direction }));
  expect(lanes.map((l) => [readEnd(l), arrow(l), writtenEnd(l)])).toEqual([
    ["left", "→", "right"],
    ["right", "←", "left"],
    ["left", "↔", "right"],
  ]);
  expect(lanes.map((l) => kindAt(l, readEnd(l)))).toEqual(["requirement", "test_case", "requirement"]);
  // Before a direction was kept, lanes wrote the right.
  expect([readEnd({}), writtenEnd(undefined)]).toEqual(["left", "right"]);
});

it("whoever turns a lane is told which rules it lost by that", () => {
  expect(turnedWords({ lost: [], both_ways: 0 }, "to_left")).toBeUndefined();
  expect(turnedWords({ lost: ["Team", "Hours"], both_ways: 0 }, "to_left")).toBe(
    "2 rules removed, because they can’t run that way: Team, Hours",
  );
  expect(turnedWords({ lost: ["Team"], both_ways: 4 }, "both")).toBe(
    "4 rules of this lane can run both ways, and will. 1 rule removed, because it can’t run that way: Team",
  );
});
