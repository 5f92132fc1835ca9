import Papa from "papaparse";
import { expect, it } from "vitest";
import { csvOf } from "./save-csv";

it("reads back as it was, quotes, lines and commas too (RFC 4180)", () => {
  const rows = [
    ["OS-1", 'a "word", and\nanother line', 3],
    ["", "ünder;the=sea", 0],
  ];
  const text = csvOf(["key", "text", "n"], rows);
  const read = Papa.parse<string[]>(text.replace("\uFEFF", ""));
  expect(read.data).toEqual([["key", "text", "n"], ...rows.map((r) => r.map(String))]);
});

it("writes what a spreadsheet would run as text", () => {
  for (const cell of ["=1+1", "+1", "-1", "@SUM(A1)", "\t=1"]) expect(csvOf(["a"], [[cell]])).toContain(`'${cell}`);
});
