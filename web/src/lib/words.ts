// What codes of the API are called. Wording lives here and nowhere else.
import type { Schemas } from "@/api/client";

export const kindWord: Record<string, string> = {
  folder: "Folder",
  requirement: "Requirement",
  shared_steps: "Shared steps",
  test_case: "Test case",
  test_suite: "Test suite",
  test_run: "Test run",
  execution: "Execution",
  result: "Result",
  defect: "Defect",
};

/** “test cases”, “shared steps”. */
export function kindsWord(kind: string | undefined): string {
  const word = kindWord[kind ?? ""]?.toLowerCase() ?? "items";
  return word.endsWith("s") ? word : `${word}s`;
}

export type DiscShape =
  | "in_step"
  | "new_right"
  | "update_right"
  | "held_right"
  | "conflict"
  | "adopt"
  | "blocked"
  | "gone_right"
  | "left_out"
  | "loss";

export const outcomeWord: Record<DiscShape, string> = {
  new_right: "New at right",
  update_right: "Update right",
  adopt: "Already at right",
  held_right: "Edited at right",
  conflict: "Conflict",
  blocked: "Can't be carried",
  gone_right: "Gone at right",
  in_step: "In step",
  left_out: "Left out",
  loss: "With losses",
};

export const outcomeHelp: Record<DiscShape, string> = {
  new_right: "Only the left holds it; a transfer makes it at the right.",
  update_right: "The left changed since both were in step; a transfer writes the right.",
  adopt: "Both ends hold it already; a transfer makes a pair of the two instead of making it twice.",
  held_right: "Only the right changed; this route does not carry that back, so it stays.",
  conflict: "Both ends changed, or nobody knows who did; a person decides.",
  blocked: "A value can't be carried; the item waits until that is settled.",
  gone_right: "It was carried before and is gone at the right; nothing is made again.",
  in_step: "Both ends hold the same.",
  left_out: "Not taken in, by hand or since what it needs is not; it shows again in the next dry run.",
  loss: "A value can't be carried exactly.",
};

export const typeWord: Record<Schemas["ValueType"], string> = {
  text: "text",
  rich_text: "rich text",
  integer: "whole number",
  decimal: "number",
  boolean: "yes or no",
  date: "date",
  instant: "time",
  duration: "duration",
  choice: "choice",
  choice_list: "choices",
  user: "person",
  user_list: "people",
  url: "address",
  reference: "reference",
  references: "references",
  links: "links",
  table: "table",
  steps: "steps",
  attachments: "files",
  comments: "comments",
  history: "history",
};

export const formatWord: Record<Schemas["TextFormat"], string> = {
  html: "HTML",
  markdown: "Markdown",
  plain: "plain",
  plain_links: "plain, addresses are links",
  xhtml: "XHTML",
};

export const reasonWord: Record<Schemas["FieldReason"], string> = {
  new: "new",
  left_changed: "changed at left",
  right_changed: "changed at right",
  both_changed: "changed at both ends",
  no_base: "differs at first contact",
  target_moved: "it has a new place now",
  waits_for_others: "what it names is not there yet",
};

export const operatorWord: Record<Schemas["Operator"], string> = {
  is: "is",
  is_not: "is not",
  one_of: "is one of",
  none_of: "is none of",
  contains: "contains",
  contains_not: "does not contain",
  starts_with: "starts with",
  is_empty: "is empty",
  is_not_empty: "is not empty",
  at_least: "is at least",
  at_most: "is at most",
  before: "is before",
  within_days: "in the last … days",
  older_than_days: "longer ago than … days",
  under: "is in or under",
  not_under: "is not in or under",
};

export const causeWord: Record<Schemas["DifferenceCause"], string> = {
  never_carried: "left out, or waits as a conflict",
  left_changed_since: "changed at the left since the transfer",
  right_changed_since: "changed at the right since the transfer",
  both_changed_since: "changed at both ends since the transfer",
  kept_by_decision: "the right's value was kept by decision",
  cannot_be_carried: "the value can't be carried",
  waits_for_others: "what it names is not at the right yet",
};

export const lossWord: Record<Schemas["LossKind"], string> = {
  truncated: "shortened",
  flattened: "flattened",
  substituted: "replaced",
  dropped: "dropped",
  downgraded: "reduced",
};

/** “3 items”, “1 item”. */
export function count(n: number, one: string, many = `${one}s`): string {
  return `${n.toLocaleString("en")} ${n === 1 ? one : many}`;
}

export function evidenceWords(e: Schemas["Evidence"]): string {
  switch (e.how) {
    case "origin":
      return `it carries the mark ${e.mark}`;
    case "title_and_path":
      return `same title in the same folder (${e.path || "top"})`;
    case "similar":
      return `${e.score} % alike${e.same_folder ? ", in the same folder" : ""}`;
    case "settled":
      return "a person said so";
    case "key":
      return `both have the key ${e.value}`;
  }
}

const linkWords: Record<Extract<Schemas["LinkType"], string>, string> = {
  verifies: "verifies",
  verified_by: "verified by",
  decomposes: "decomposes",
  decomposed_by: "decomposed by",
  affects: "affects",
  affected_by: "affected by",
  implements: "implements",
  duplicates: "duplicates",
  relates_to: "relates to",
};

/** A type of link as people read it. */
export const linkWord = (type: Schemas["LinkType"]): string =>
  typeof type === "string" ? linkWords[type] : type.other;

/** The type that is read so. */
export function linkTypeOf(word: string): Schemas["LinkType"] {
  const known = (Object.keys(linkWords) as (keyof typeof linkWords)[]).find((type) => linkWords[type] === word);
  return known ?? { other: word };
}
