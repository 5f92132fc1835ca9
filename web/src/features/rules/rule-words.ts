// A rule in a few words, and rules from a choice.
import type { Schemas } from "@/api/client";

export type Rule = Schemas["Rule"];
export type Conversion = Schemas["Conversion"];
export type ValueMap = Schemas["ValueMap"];

export const PARENT = "@parent";
export const ATTACHMENTS = "@attachments";
export const LINKS = "@links";

export const sourceField = (r: Rule): string | undefined =>
  typeof r.source === "object" && "field" in r.source ? r.source.field : undefined;

export function ruleWords(r: Rule): string {
  if (r.source === "folder") return "mirror";
  if (r.source === "origin") return "origin";
  if (r.source === "attachments") return "files";
  if (r.source === "links") return "links";
  if (typeof r.source === "object" && "constant" in r.source) return "constant";
  const last = r.conversions?.at(-1);
  if (!last) return "as it is";
  if (last === "rich_text") return "rich text";
  if ("shorten" in last) return `shorten to ${last.shorten.to}`;
  if ("value_map" in last) return "value map";
  return "people";
}

export const valueMapOf = (r: Rule | undefined): ValueMap | undefined => {
  const found = r?.conversions?.find((c): c is { value_map: ValueMap } => typeof c === "object" && "value_map" in c);
  return found?.value_map;
};

export function withValueMap(r: Rule, map: ValueMap): Rule {
  return {
    ...r,
    conversions: r.conversions?.map((c) => (typeof c === "object" && "value_map" in c ? { value_map: map } : c)),
  };
}

/** The choices of “how”, and the conversions each stands for. */
export type How = "as_it_is" | "value_map" | "rich_text" | "shorten" | "people";

export const howWord: Record<How, string> = {
  as_it_is: "as it is",
  value_map: "value map",
  rich_text: "rich text",
  shorten: "shorten",
  people: "people",
};

export function howOf(r: Rule): How {
  const last = r.conversions?.at(-1);
  if (!last) return "as_it_is";
  if (last === "rich_text") return "rich_text";
  if ("shorten" in last) return "shorten";
  if ("value_map" in last) return "value_map";
  return "people";
}

/** Which conversions make sense into a type. */
export function hows(target: Schemas["FieldSchema"]): How[] {
  switch (target.value_type) {
    case "rich_text":
    case "steps":
      return ["rich_text", "as_it_is"];
    case "choice":
    case "choice_list":
      return ["as_it_is", "value_map"];
    case "user":
    case "user_list":
      return ["people", "as_it_is"];
    case "text":
      return ["as_it_is", "shorten", "value_map"];
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
  }
}

/** The conversion that a source most likely needs. */
export function likelyHow(source: Schemas["FieldSchema"], target: Schemas["FieldSchema"], longest: number): How {
  const to = target.value_type;
  if (to === "steps" || to === "rich_text") return "rich_text";
  if (to === "user" || to === "user_list") return "people";
  if ((to === "choice" || to === "choice_list") && target.allowed) return "value_map";
  if (to === "text" && target.max_length && (source.value_type !== "text" || longest > target.max_length))
    return longest > target.max_length ? "shorten" : "as_it_is";
  return "as_it_is";
}
