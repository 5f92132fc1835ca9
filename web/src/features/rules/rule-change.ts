// What became of a rule from one version to the next, in a line each.
import { fallbackWords, ruleWords, sourceField, sourceWords, valueMapOf } from "./rule-words";
import type { Fill } from "./fills";

/** At most so many rows of a value map are told. */
const TOLD = 6;

/** A rule in one line: where its value comes from and how. `named` gives a field of the left its name. */
export function told(rule: Fill, named: (field: string) => string): string {
  const field = sourceField(rule);
  return `${field ? named(field) : sourceWords(rule)}, ${ruleWords(rule)}`;
}

/** The rows and the rest of a value map that differ; none if the rules differ in more than that. */
export function mapChanges(before: Fill, after: Fill): string[] | undefined {
  const [was, is] = [valueMapOf(before), valueMapOf(after)];
  const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);
  if (!was || !is || !same(before.source, after.source)) return undefined;
  const old = (left: string) => was.rows.find((r) => r.left === left);
  const word = (value: string) => value || "empty";
  const out: string[] = [];
  for (const row of is.rows) {
    const o = old(row.left);
    if (o?.right !== row.right) {
      out.push(`“${word(row.left)}” becomes ${word(row.right)}${o ? ` instead of ${word(o.right)}` : ""}`);
    }
  }
  for (const row of was.rows) {
    if (!is.rows.some((r) => r.left === row.left)) out.push(`“${word(row.left)}” is no longer in the map`);
  }
  if (!same(was.otherwise, is.otherwise)) out.push(`others: ${fallbackWords(is.otherwise)}`);
  if (out.length === 0) return undefined;
  return out.length > TOLD ? [...out.slice(0, TOLD), `and ${out.length - TOLD} more`] : out;
}
