// How the rules of a lane fill the slots of the end that it writes: at most one rule a slot.
import type { Schemas } from "@/api/client";
import { otherEnd, writtenEnd } from "@/lib/lanes";
import type { Lane } from "../route/draft";

type End = Schemas["End"];

export type Rule = Schemas["Rule"];

/** How a rule fills a slot of one end. */
export type Fill = NonNullable<Rule["into"]["right"]>;

/** How a rule fills a slot of an end; undefined where it does not go there. */
export const fillOf = (rule: Rule | null | undefined, end: End): Fill | undefined => rule?.into[end] ?? undefined;

/** How a rule fills a slot of an end: of the right, or else of the left. */
export const anyFill = (rule: Rule | null | undefined): Fill | undefined =>
  fillOf(rule, "right") ?? fillOf(rule, "left");

/** The rule of a lane that fills a slot of the end that it writes. */
export const ruleInto = (lane: Lane | undefined, target: string): Rule | undefined =>
  lane?.rules.find((r) => fillOf(r, writtenEnd(lane))?.target === target);

/** How the rules of a lane fill the end that it writes, in their order. */
export const fillsOf = (lane: Lane | undefined): Fill[] =>
  lane?.rules.flatMap((r) => fillOf(r, writtenEnd(lane)) ?? []) ?? [];

/** An id that no rule of the lane has: that of the slot, or that with a number. */
function freeId(lane: Lane, target: string): string {
  const taken = new Set(lane.rules.map((r) => r.id));
  let id = target;
  for (let n = 2; taken.has(id); n++) id = `${target} ${n}`;
  return id;
}

/** A lane in which a slot of the end that it writes is filled so. The rule that fills it already keeps its id. */
export function withFill(lane: Lane, fill: Fill): Lane {
  const there = ruleInto(lane, fill.target);
  const end = writtenEnd(lane);
  if (!there) {
    const rule = { id: freeId(lane, fill.target), into: { left: null, right: null, [end]: fill }, back: false };
    return { ...lane, rules: [...lane.rules, rule] };
  }
  const filled = { ...there, into: { ...there.into, [end]: fill } };
  return { ...lane, rules: lane.rules.map((r) => (r === there ? filled : r)) };
}

/** A lane in which no rule fills that slot of the end that it writes. What a rule does on its way into the other stays. */
export function withoutFill(lane: Lane, target: string): Lane {
  const there = ruleInto(lane, target);
  if (!there) return lane;
  const end = writtenEnd(lane);
  const other = fillOf(there, otherEnd(end));
  const rest = other ? [{ ...there, into: { ...there.into, [end]: null }, back: false }] : [];
  return { ...lane, rules: lane.rules.flatMap((r) => (r === there ? rest : [r])) };
}

/** What else than a field an edit at the right can go back to, by what a rule starts from. */
const NAMED: Record<string, string> = {
  folder: "the folder",
  attachments: "the files",
  links: "the links",
  comments: "the comments",
};

/** What an edit at the right goes back to, if it can: the field that the rule starts from, by its name, or what is named. */
export function goesBackTo(fill: Fill, field: string | undefined): string | undefined {
  return field ?? (typeof fill.source === "string" ? NAMED[fill.source] : undefined);
}

/** Whether an edit of what a rule fills at the right goes back. */
export const goesBack = (rule: Rule | undefined): boolean => !!rule && (rule.back || !!rule.into.left);

/**
 * A lane in which what fills that slot of the right end is taken back on the way into the left, or is not; or in which
 * that way is one of its own.
 */
export function withBack(lane: Lane, target: string, back: boolean, left?: Fill): Lane {
  const there = ruleInto(lane, target);
  const turned = (r: Rule): Rule => ({ ...r, back, into: { ...r.into, left: left ?? null } });
  return { ...lane, rules: lane.rules.map((r) => (r === there ? turned(r) : r)) };
}

/** Whether an expression could be the way back: what the rule starts from is a field, or an expression. */
export const computesBack = (fill: Fill): boolean =>
  typeof fill.source === "object" && ("field" in fill.source || "computed" in fill.source);

/** The field that an expression names, if it names one: what its way back would fill. */
export function joinedField(expression: string | undefined, names: Schemas["Name"][] | undefined): string | undefined {
  const named = (text: string) => {
    const at = expression?.indexOf(text) ?? -1;
    return at >= 0 && !/[\w]/.test(expression?.[at + text.length] ?? "");
  };
  const found = names?.filter((n) => n.field && named(n.text)) ?? [];
  return found.length === 1 ? (found[0]?.field ?? undefined) : undefined;
}
