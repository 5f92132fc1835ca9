// A rule in a few words, and rules from a choice.
import type { Schemas } from "@/api/client";
import type { Fill } from "./fills";

export type Conversion = Schemas["Conversion"];
export type ValueMap = Schemas["ValueMap"];

export const PARENT = "@parent";
const ATTACHMENTS = "@attachments";
export const LINKS = "@links";
const COMMENTS = "@comments";
export const HISTORY = "@history";
export const POSITION = "@position";

/** What hangs on an item and is no field of its own; shown after the fields, in this order. */
export const HANGING = [ATTACHMENTS, LINKS, COMMENTS, HISTORY];

/** What no expression makes. */
export const notComputed: Schemas["ValueType"][] = ["steps", "table", "reference", "references", "user", "user_list"];

/** A source that is no field and no constant. */
export type Special = Extract<Fill["source"], string>;

/** What a special source is called where it stands in place of a field. */
export const sourceWord: Record<Special, string> = {
  folder: "Folder path",
  origin: "Key and system",
  attachments: "Files",
  links: "Links",
  comments: "Comments",
  comments_and_history: "Comments and history",
  history: "History",
  folder_path: "Names of the folders",
};

const sourceRule: Record<Special, string> = {
  folder: "mirror",
  origin: "origin",
  attachments: "files",
  links: "links",
  comments: "comments",
  comments_and_history: "comments and history",
  history: "history",
  folder_path: "folder names",
};

/** The special sources that can feed a target, with what a person chooses. */
export function specials(target: string, schema?: Schemas["FieldSchema"]): [Special, string][] {
  switch (target) {
    case PARENT:
      return [["folder", "the folder it is in (mirrored)"]];
    case ATTACHMENTS:
      return [["attachments", "its files"]];
    case LINKS:
      return [["links", "its links"]];
    case COMMENTS:
      return [
        ["comments", "its comments"],
        ["comments_and_history", "its comments, and its history as comments"],
      ];
    case HISTORY:
      return [["history", "its history"]];
  }
  const path: [Special, string] = ["folder_path", "the folders it is in, by name"];
  switch (schema?.value_type) {
    case "text":
      return [["origin", "key and system (origin)"], path];
    case "choice":
    case "choice_list":
      return [path];
    default:
      return [];
  }
}

const targetNames: Record<string, string> = {
  [PARENT]: "Folder",
  [ATTACHMENTS]: "Files",
  [LINKS]: "Links",
  [COMMENTS]: "Comments",
  [HISTORY]: "History",
  [POSITION]: "Position",
};

/** What a target is called. */
export const targetWord = (target: string, schema?: Schemas["FieldSchema"]) =>
  targetNames[target] ?? schema?.name ?? target;

export const sourceField = (r: Fill): string | undefined =>
  typeof r.source === "object" && "field" in r.source ? r.source.field : undefined;

/** Where a rule's value comes from, in a few words; a field by its id. */
export function sourceWords(r: Fill): string {
  if (typeof r.source === "string") return sourceWord[r.source];
  if ("field" in r.source) return r.source.field;
  if ("computed" in r.source) return r.source.computed;
  return `the value “${String((r.source.constant as { value?: unknown }).value ?? "")}”`;
}

export function ruleWords(r: Fill): string {
  if (typeof r.source === "object" && "constant" in r.source) return "constant";
  const last = r.conversions?.at(-1);
  if (!last && typeof r.source === "object" && "computed" in r.source) return "computed";
  if (!last) return typeof r.source === "string" ? sourceRule[r.source] : "as it is";
  if (typeof last === "object" && "shorten" in last) return `shorten to ${last.shorten.to}`;
  if (typeof last === "object" && "path_level" in last) return `folder ${last.path_level.level}`;
  const before = (r.conversions?.length ?? 1) - 1;
  return before > 0 ? `${howWord[howOf(r)]} +${before}` : howWord[howOf(r)];
}

export const valueMapOf = (r: Fill | undefined): ValueMap | undefined => {
  const found = r?.conversions?.find((c): c is { value_map: ValueMap } => typeof c === "object" && "value_map" in c);
  return found?.value_map;
};

export function withValueMap(r: Fill, map: ValueMap): Fill {
  return {
    ...r,
    conversions: r.conversions?.map((c) => (typeof c === "object" && "value_map" in c ? { value_map: map } : c)),
  };
}

/** What happens to values that a map does not name. */
export function fallbackWords(otherwise: Schemas["Fallback"] | undefined): string {
  if (typeof otherwise === "object") return `become ${otherwise.use}`;
  return otherwise === "leave_empty" ? "left empty" : "hold the item back";
}

/** The choices of “how”, and the conversions each stands for. */
export type How =
  | "as_it_is"
  | "value_map"
  | "rich_text"
  | "shorten"
  | "people"
  | "if_empty"
  | "hours"
  | "number"
  | "path_level"
  | "link_types";

export const howWord: Record<How, string> = {
  as_it_is: "as it is",
  value_map: "value map",
  rich_text: "rich text",
  shorten: "shorten",
  people: "people",
  if_empty: "text if empty",
  hours: "hours",
  number: "number",
  path_level: "one folder of the path",
  link_types: "types of links",
};

export function conversionHow(c: Conversion): How {
  if (typeof c === "string") return c;
  return "users" in c ? "people" : (Object.keys(c)[0] as How);
}

export function howOf(r: Fill): How {
  const last = r.conversions?.at(-1);
  return last ? conversionHow(last) : "as_it_is";
}

/** Which conversions make sense into a type. */
export function hows(target: Schemas["FieldSchema"], fromPath = false): How[] {
  switch (target.value_type) {
    case "rich_text":
    case "steps":
      return ["rich_text", "as_it_is"];
    case "choice":
    case "choice_list":
      return fromPath ? ["as_it_is", "path_level", "value_map"] : ["as_it_is", "value_map"];
    case "user":
    case "user_list":
      return ["people", "as_it_is"];
    case "text":
      return fromPath ? ["as_it_is", "path_level", "shorten"] : ["as_it_is", "shorten", "if_empty", "value_map"];
    case "decimal":
      return ["as_it_is", "number", "hours"];
    default:
      return ["as_it_is"];
  }
}

export function conversionsFor(how: How, target: Schemas["FieldSchema"]): Conversion[] {
  switch (how) {
    case "as_it_is":
      return [];
    case "rich_text":
      return ["rich_text"];
    case "shorten":
      return [{ shorten: { to: target.max_length ?? 100 } }];
    case "value_map":
      return [{ value_map: { rows: [], otherwise: "block" } }];
    case "people":
      return [{ users: { rows: [], otherwise: "leave_empty" } }];
    case "if_empty":
      return [{ if_empty: { text: "not stated" } }];
    case "hours":
      return ["hours"];
    case "number":
      return [{ number: { comma: true } }];
    case "path_level":
      return [{ path_level: { level: 1 } }];
    case "link_types":
      return [{ link_types: { rows: [] } }];
  }
}

/** The conversion that a source most likely needs. */
export function likelyHow(source: Schemas["FieldSchema"], target: Schemas["FieldSchema"], longest: number): How {
  const to = target.value_type;
  if (to === "steps" || to === "rich_text") return "rich_text";
  if (to === "user" || to === "user_list") return "people";
  const known = new Set(target.allowed);
  const same = source.value_type === to && source.allowed?.every((v) => known.has(v));
  if ((to === "choice" || to === "choice_list") && target.allowed) return same ? "as_it_is" : "value_map";
  if (to === "text" && target.max_length && (source.value_type !== "text" || longest > target.max_length))
    return longest > target.max_length ? "shorten" : "as_it_is";
  return "as_it_is";
}

/** How a field at the right is filled from one at the left, converted as it most likely has to be. */
export const fillFrom = (target: Schemas["FieldSchema"], source: Schemas["FieldSchema"], longest: number): Fill => ({
  target: target.id,
  source: { field: source.id },
  conversions: conversionsFor(likelyHow(source, target, longest), target),
});

/** The value of a rule that gives every item the same. */
export const constantOf = (rule?: Fill): Schemas["Value"] | undefined =>
  rule && typeof rule.source === "object" && "constant" in rule.source ? rule.source.constant : undefined;
