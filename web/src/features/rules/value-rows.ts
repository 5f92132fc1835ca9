// The rows of a value map. Of several values with one right value exactly one travels back.
import type { ValueMap } from "./rule-words";

type Row = ValueMap["rows"][number];

/** Each right value has one row that travels back: the one that did, or else the first. */
export function settled(rows: Row[]): Row[] {
  const back = new Map<string, Row>();
  for (const row of rows) {
    const led = back.get(row.right);
    if (!led || (row.returns && !led.returns)) back.set(row.right, row);
  }
  return rows.map((r) => ((back.get(r.right) === r) === !!r.returns ? r : { ...r, returns: back.get(r.right) === r }));
}

/** The map with `left` becoming `right`, or without a row for it. */
export function withRow(map: ValueMap, left: string, right: string | undefined): ValueMap {
  const at = map.rows.findIndex((r) => r.left === left);
  const row = right === undefined ? [] : [{ left, right, returns: false }];
  const rows = at < 0 ? [...map.rows, ...row] : [...map.rows.slice(0, at), ...row, ...map.rows.slice(at + 1)];
  return { ...map, rows: settled(rows) };
}

/** The map in which `left` is what its right value becomes on the way back. */
export function withReturn(map: ValueMap, left: string): ValueMap {
  const right = map.rows.find((r) => r.left === left)?.right;
  return { ...map, rows: map.rows.map((r) => (r.right === right ? { ...r, returns: r.left === left } : r)) };
}

/** Right values that several rows lead to. */
export function shared(map: ValueMap): Set<string> {
  const seen = new Set<string>();
  return new Set(map.rows.map((r) => r.right).filter((right) => right && (seen.has(right) || !seen.add(right))));
}

/** Every value that a row can be for: the left system's own list in its order, what is off it, and none at all. */
export function valuesOf(own: string[] | undefined, met: string[], map: ValueMap): string[] {
  const place = new Map(own?.map((value, n) => [value, n]));
  const rank = (v: string) => (v === "" ? Infinity : (place.get(v) ?? Number.MAX_SAFE_INTEGER));
  const all = [...new Set([...met, ...map.rows.map((r) => r.left), ...(own ?? []), ""])];
  const ranked = all.map((value) => ({ value, rank: rank(value) }));
  return ranked.sort((a, b) => (a.rank === b.rank ? 0 : a.rank - b.rank)).map((v) => v.value);
}
