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
  | "new_left"
  | "update_right"
  | "update_left"
  | "held_right"
  | "held_left"
  | "conflict"
  | "adopt"
  | "blocked"
  | "gone_right"
  | "gone_left"
  | "out_of_scope_left"
  | "out_of_scope_right"
  | "unreadable"
  | "taken_off_left"
  | "taken_off_right"
  | "left_out"
  | "loss";

export const outcomeWord: Record<DiscShape, string> = {
  new_right: "New at right",
  new_left: "New at left",
  update_right: "Update right",
  update_left: "Update left",
  adopt: "Already at both",
  held_right: "Edited at right",
  held_left: "Edited at left",
  conflict: "Conflict",
  blocked: "Can't be transferred",
  gone_right: "Gone at right",
  gone_left: "Gone at left",
  out_of_scope_left: "Left the scope",
  out_of_scope_right: "Left the scope at right",
  taken_off_left: "Removed at left",
  taken_off_right: "Removed at right",
  unreadable: "Can't be read",
  in_step: "In step",
  left_out: "Left out",
  loss: "With losses",
};

export const outcomeHelp: Record<DiscShape, string> = {
  new_right: "Only the left has it. A transfer creates it at the right.",
  new_left: "Only the right has it. A transfer creates it at the left.",
  update_right: "The left changed since both were in step. A transfer updates the right.",
  update_left: "The right changed since both were in step. A transfer updates the left.",
  adopt: "Both ends have it already. A transfer makes the two a pair instead of creating it twice.",
  held_right: "Only the right changed. This lane does not write the left, so the change stays.",
  held_left: "Only the left changed. This lane does not write the right, so the change stays.",
  conflict: "Both ends changed, or there is no earlier state to compare with. You decide.",
  blocked: "A value can't be transferred; the item waits until that is fixed.",
  gone_right: "It was transferred before and is gone at the right. Create it again, or let the pair go.",
  gone_left: "It was transferred before and is gone at the left. Its counterpart stays. Let the pair go to end it.",
  out_of_scope_left: "It was transferred before and the route no longer covers it. Its counterpart stays.",
  out_of_scope_right: "It was transferred before and the route no longer covers it. Its counterpart stays.",
  taken_off_left: "Comments or past changes were removed at the left. At the right they stay.",
  taken_off_right: "Comments or past changes were removed at the right. At the left they stay.",
  unreadable: "One of the two can't be read now; nothing is written until it can be.",
  in_step: "Both ends hold the same.",
  left_out: "You left it out, or something it needs is out. The next dry run lists it again.",
  loss: "A value can't be transferred exactly.",
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
  no_base: "differed when first matched",
  target_moved: "it has moved",
  waits_for_others: "waits for an item it refers to",
  rule_changed: "the rule changed",
  rule_changed_over_kept: "the rule changed; what was there was kept",
  left_unreadable: "the left can't be read",
  right_unreadable: "the right can't be read",
  taken_off_left: "removed at left, stays at right",
  taken_off_right: "removed at right, stays at left",
  perhaps_there: "sent once without an answer",
  left_goes_back: "changed at left, goes to right",
  right_goes_back: "changed at right, goes to left",
  left_wins: "differed when first matched; the left wins",
  right_wins: "differed when first matched; the right wins",
  left_not_carried: "changed at left, can’t be transferred",
  right_not_carried: "changed at right, can’t be transferred",
  left_old_form: "the left holds its old value again",
  right_old_form: "the right holds its old value again",
  exchange: "went to and fro five times in an hour",
  rule_changed_back: "the rule’s way back changed",
  merged: "changed at both ends, in different parts",
  left_prevails: "changed at both ends; by the lane’s policy the left goes to the right",
  right_prevails: "changed at both ends; by the lane’s policy the right goes to the left",
  left_without_time: "changed at both ends; no time known at left",
  right_without_time: "changed at both ends; no time known at right",
  left_clock_off: "changed at both ends; the left’s clock is off or not known",
  right_clock_off: "changed at both ends; the right’s clock is off or not known",
  same_time: "changed at both ends, at about the same time",
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
  left_out: "left out by decision",
  undecided: "waits for a decision",
  cannot_be_carried: "can't be transferred with these rules",
  refused: "it was not accepted",
  not_planned_yet: "in no plan yet",
  not_transferred_yet: "planned, and not transferred yet",
  left_changed_since: "changed at the left since the transfer",
  right_changed_since: "changed at the right since the transfer",
  both_changed_since: "changed at both ends since the transfer",
  rule_changed: "the rule gives another value now",
  target_moved: "what it links to has moved",
  waits_for_others: "waits for an item it refers to",
  left_unreadable: "the left's value can't be read",
  right_unreadable: "the right's value can't be read",
  removed_at_left: "removed at the left since the transfer",
  removed_at_right: "removed at the right since the transfer",
  kept_by_decision: "what was there was kept by decision",
  turned: "as it was when the lane was turned round",
  changed_on_saving: "it was changed there when saving",
  unexplained: "for no known reason",
};

/** What became of an item of a pair that is not there to be compared. */
export const absenceWord: Record<Schemas["Absence"], string> = {
  gone: "gone",
  out_of_scope: "no longer in scope",
  elsewhere: "in another project",
  unreadable: "can't be read",
};

/** What a system has that is not read, and what to do about it. */
export function notRead({ kind, field, what }: Schemas["CatalogueFinding"]): string {
  const of = `${kindWord[kind]}${field ? `, “${field}”` : ""}`;
  switch (what.what) {
    case "unknown_type":
      return `${of}: its type “${what.word}” is not known, so the field is not read. Name the type in the profile.`;
    case "no_such_kind":
      return `${of}: the system's description has no “${what.word}”, so none of it is read. Correct the profile, or ask for permission.`;
    case "says_too_little":
      return `${of}: ${what.why}, so the field is not read.`;
  }
}

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

/** The same of a list, of whose matches not all may have been counted: “over 500 items”. */
export function counted(list: { total: number; more: boolean }, one: string, many = `${one}s`): string {
  return `${list.more ? "over " : ""}${count(list.total, one, many)}`;
}

export function evidenceWords(e: Schemas["Evidence"]): string {
  switch (e.how) {
    case "origin":
      return `it has the origin mark ${e.mark}`;
    case "title_and_path":
      return `same title in the same folder (${e.path || "top"})`;
    case "similar":
      return `${e.score}% similar${e.same_folder ? ", in the same folder" : ""}`;
    case "settled":
      return "a decision";
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

/** A system's own word for a version, without the quotes of an entity tag (RFC 9110) or a letter for “version”. */
export const versionWord = (word: string): string => word.replaceAll('"', "").replace(/^(W\/)?v(?=\d)/i, "");
