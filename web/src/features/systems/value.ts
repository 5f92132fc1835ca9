// A value as text, for reading. Differences and previews come from the server; this is for the survey.
import type { Schemas } from "@/api/client";
import { exact } from "@/lib/format";

type Value = Schemas["Value"];
type Block = Schemas["Block"];
type Inline = Schemas["Inline"];

const inlineText = (list: Inline[]): string =>
  list
    .map((i) => {
      switch (i.inline) {
        case "text":
        case "code":
          return i.text;
        case "image":
          return `[image ${i.alt || i.source}]`;
        case "mention":
          return i.label;
        case "parameter":
          return `{${i.name}}`;
        case "line_break":
          return "\n";
        default:
          return inlineText(i.content);
      }
    })
    .join("");

const blockText = (b: Block): string => {
  switch (b.block) {
    case "paragraph":
    case "heading":
      return inlineText(b.content);
    case "list":
      return b.items
        .map((item, n) => `${b.start == null ? "•" : `${b.start + n}.`} ${item.map(blockText).join(" ")}`)
        .join("\n");
    case "table":
      return b.rows.map((row) => row.map((cell) => cell.map(blockText).join(" ")).join(" | ")).join("\n");
    case "code":
      return b.text;
    case "quote":
      return b.blocks.map(blockText).join("\n");
    case "rule":
      return "—";
  }
};

const referenceText = (r: Schemas["Reference"]) => ("known" in r ? r.known : r.pending.id);

/** A link in words. */
export function linkText(l: Schemas["Link"]): string {
  const end = "url" in l.target ? l.target.url : "artefact" in l.target ? l.target.artefact.id : l.target.pending.id;
  const type = typeof l.link_type === "string" ? l.link_type.replaceAll("_", " ") : l.link_type.other;
  return `${type} ${end}`;
}

const documentText = (blocks: Block[]) => blocks.map(blockText).join("\n");

export function valueText(value: Value | undefined, users: Schemas["User"][]): string {
  if (!value) return "";
  const person = (id: string) => users.find((u) => u.id === id)?.name ?? `${id} (unknown)`;
  const stamp = (s: Schemas["Stamp"]) => `${exact(s.at)}${s.by ? `, ${person(s.by)}` : ""}`;
  switch (value.type) {
    case "empty":
      return "";
    case "rich_text":
      return documentText(value.value.blocks);
    case "choice_list":
      return value.value.join(", ");
    case "user":
      return person(value.value);
    case "user_list":
      return value.value.map(person).join(", ");
    case "steps":
      return value.value
        .map(
          (s, n) =>
            `${n + 1}. ${s.call ? `calls ${referenceText(s.call.target)}${s.call.arguments.map((a) => ` (${a.name}: ${documentText(a.value.blocks)})`).join("")} ` : ""}${documentText(s.action.blocks)}${s.expected.blocks.length ? `\n    → ${documentText(s.expected.blocks)}` : ""}${s.data.blocks.length ? `\n    data: ${documentText(s.data.blocks)}` : ""}`,
        )
        .join("\n");
    case "boolean":
      return value.value ? "yes" : "no";
    case "attachments":
      return value.value.map((f) => f.name).join(", ");
    case "table":
      return value.value.map((r) => r.join(" | ")).join("\n");
    case "reference":
      return referenceText(value.value);
    case "references":
      return value.value.map(referenceText).join(", ");
    case "links":
      return value.value.map(linkText).join("\n");
    case "comments":
      return value.value.map((c) => `${stamp(c.stamp)}: ${documentText(c.body.blocks)}`).join("\n");
    case "history":
      return value.value.map((h) => `${stamp(h.stamp)} ${h.field}: ${h.before} → ${h.after}`).join("\n");
    default:
      return String(value.value);
  }
}
