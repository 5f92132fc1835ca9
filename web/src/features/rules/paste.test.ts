import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { leftOver, readPasted, withPasted } from "./paste";

const known = { met: ["High", "Low", "3 – Mid"], allowed: ["Urgent", "Normal", "Minor"] };

describe("a pasted value map", () => {
  it("is read line by line, tabs or semicolons", () => {
    const lines = readPasted("High\tUrgent\r\n\n3 – Mid ; Normal\nLow\t", known);
    expect(lines.map((l) => [l.line, l.left, l.right, l.fault])).toEqual([
      [1, "High", "Urgent", undefined],
      [3, "3 – Mid", "Normal", undefined],
      [4, "Low", "", undefined],
    ]);
  });
  // RFC 4180, section 2, rules 5 to 7, with a tab for the comma.
  const written = (cell: string) => (/["\t\n\r]/.test(cell) ? `"${cell.replaceAll('"', '""')}"` : cell);
  const value = fc
    .string({ unit: fc.constantFrom("a", "Ø", " ", '"', "\t", "\n", ";", ",", "雪", "–") })
    .map((s) => s.trim())
    .filter((s) => s !== "");

  it("is what was copied, whatever the values hold", () => {
    const rows = fc.uniqueArray(fc.tuple(value, value), { selector: ([left]) => left, minLength: 1, maxLength: 6 });
    fc.assert(
      fc.property(rows, fc.constantFrom("\n", "\r\n"), (rows, end) => {
        const text = rows.map((r) => r.map(written).join("\t")).join(end);
        const read = readPasted(text, { met: rows.map(([left]) => left), allowed: [] });
        expect(read.map((l) => [l.left, l.right, l.fault, l.note])).toEqual(
          rows.map(([left, right]) => [left, right, undefined, undefined]),
        );
      }),
    );
  });
  it("keeps the numbers of lines behind a value of two lines, and quotes that enclose nothing", () => {
    const broken = readPasted('"High\nest"\tUrgent\nLow\tMinor', known);
    expect(broken.map((l) => [l.line, l.left])).toEqual([
      [1, "High\nest"],
      [3, "Low"],
    ]);
    expect(readPasted('"High" ones\tUrgent\n"Low\tMinor', known).map((l) => l.left)).toEqual(['"High" ones', '"Low']);
  });
  it("leaves what is not taken as it was, with the same faults", () => {
    const lines = readPasted('High\tUrgent\nGone\n"Low ""2"""\tPurple\nHigh\tMinor', known);
    const again = readPasted(leftOver(lines), known);
    expect(again.map((l) => [l.left, l.fault])).toEqual([
      ["Gone", "there is no tab or semicolon between two values"],
      ['Low "2"', "the right does not allow “Purple”"],
      // It is no double any more, but for the map that has the first one by now.
      ["High", undefined],
    ]);
  });
  it("marks doubles and unknown values, and the good lines stay usable", () => {
    const lines = readPasted("High\tUrgent\nHigh\tMinor\nLow\tminor\nLow\tPurple\nLow\nGone\tMinor", known);
    expect(lines.map((l) => l.fault ?? l.note)).toEqual([
      undefined,
      "“High” is already in line 1",
      "at the right it is written “Minor”",
      "the right does not allow “Purple”",
      "there is no tab or semicolon between two values",
      "no item holds this value",
    ]);
    const map = {
      rows: [
        { left: "High", right: "Normal", returns: true },
        { left: "Low", right: "Minor", returns: true },
      ],
    };
    expect(withPasted(map, lines).rows).toEqual([
      { left: "Low", right: "Minor", returns: true },
      { left: "High", right: "Urgent", returns: true },
      { left: "Gone", right: "Minor", returns: false },
    ]);
  });
  it("leaves a way back where the value that travelled back leads elsewhere now", () => {
    const rows = [
      { left: "High", right: "Urgent", returns: true },
      { left: "Low", right: "Urgent", returns: false },
    ];
    const pasted = withPasted({ rows }, readPasted("High\tNormal", known));
    expect(pasted.rows.filter((r) => r.returns).map((r) => r.left)).toEqual(["Low", "High"]);
  });
});
