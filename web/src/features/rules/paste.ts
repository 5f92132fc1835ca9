// Value maps pasted from a spreadsheet: one line per value, left and right divided by a tab (or a semicolon).
import Papa from "papaparse";
import type { ValueMap } from "./rule-words";
import { settled } from "./value-rows";

export type PastedLine = {
  /** Its number, from 1. */
  line: number;
  left: string;
  right: string;
  /** All that stands in it: left, right, and whatever is beside them; the left alone where nothing divides them. */
  cells: string[];
  /** What is wrong with it; such a line is not taken. */
  fault?: string;
  /** What is worth knowing about a line that is taken. */
  note?: string;
};

type Known = { met: string[]; allowed: string[] };

function cells(text: string, delimiter: string): string[][] {
  const read = (quoteChar: string) => Papa.parse<string[]>(text, { delimiter, quoteChar, newline: "\n" });
  const quoted = read('"');
  // Quotes that do not enclose a cell are part of the text.
  return quoted.errors.some((e) => e.type === "Quotes") ? read("\0").data : quoted.data;
}

/**
 * Lines with their numbers, as spreadsheets copy them: what holds a tab, a break or a quote stands in quotes, and
 * quotes in it are doubled (RFC 4180, section 2, with tabs).
 */
function lines(text: string): { line: number; cells: string[] }[] {
  let line = 1;
  return cells(text.replaceAll(/\r\n?/g, "\n"), "\t").map((row) => {
    const at = line;
    line += row.join("").split("\n").length;
    const divided = row.length > 1 ? row : (cells(row[0] ?? "", ";")[0] ?? []);
    return { line: at, cells: divided.map((c) => c.trim()) };
  });
}

/** Every line with what is wrong with it. Where a value comes twice, the first line is taken. */
export function readPasted(text: string, { met, allowed }: Known): PastedLine[] {
  const seen = new Map<string, number>();
  const held = new Set(met);
  const taken = new Set(allowed);
  // However it is written: the first that is alike.
  const alike = new Map(allowed.toReversed().map((a) => [a.toLowerCase(), a]));
  const out: PastedLine[] = [];
  for (const { line: number, cells } of lines(text)) {
    const [left = "", right = ""] = cells;
    if (cells.length < 2 && !left) continue;
    const line: PastedLine = { line: number, left, right, cells };
    const before = seen.get(left);
    const near = alike.get(right.toLowerCase());
    if (cells.length < 2) line.fault = "there is no tab or semicolon between two values";
    else if (before !== undefined) line.fault = `“${left}” is already in line ${before}`;
    else if (right && allowed.length && !taken.has(right)) {
      line.fault = near ? `at the right it is written “${near}”` : `the right does not allow “${right}”`;
    } else if (left && !held.has(left)) line.note = "no item holds this value";
    if (!line.fault) seen.set(left, number);
    out.push(line);
  }
  return out;
}

/** The lines that are not taken, as they were pasted. */
export function leftOver(lines: PastedLine[]): string {
  const cells = lines.filter((l) => l.fault).map((l) => l.cells);
  return Papa.unparse(cells, { delimiter: "\t", newline: "\n" });
}

/** The map with the good lines in it; rows of other values stay. */
export function withPasted(map: ValueMap, lines: PastedLine[]): ValueMap {
  const good = lines.filter((l) => !l.fault);
  const pasted = new Set(good.map((l) => l.left));
  const others = map.rows.filter((r) => !pasted.has(r.left));
  const rows = [...others, ...good.map(({ left, right }) => ({ left, right, returns: false }))];
  return { ...map, rows: settled(rows) };
}
