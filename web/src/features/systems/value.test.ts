import { expect, it } from "vitest";
import type { Schemas } from "@/api/client";
import { linkText, valueText } from "./value";

type Value = Schemas["Value"];
const paragraph = (text: string) => ({
  blocks: [{ block: "paragraph" as const, content: [{ inline: "text" as const, text }] }],
});
const users = [{ id: "u1", name: "Ida Brekke", active: true }] as Schemas["User"][];

it.each<[Value | undefined, string]>([
  [undefined, ""],
  [{ type: "empty" } as Value, ""],
  [{ type: "text", value: "Stop" }, "Stop"],
  [{ type: "boolean", value: true }, "yes"],
  [{ type: "user", value: "u1" }, "Ida Brekke"],
  [{ type: "user_list", value: ["u1", "u9"] }, "Ida Brekke, u9 (unknown)"],
  [{ type: "choice_list", value: ["winter", "safety"] }, "winter, safety"],
  [{ type: "rich_text", value: paragraph("Lay it in the freezer") }, "Lay it in the freezer"],
  [{ type: "table", value: [["wind"], ["8 m/s"]] }, "wind\n8 m/s"],
  [{ type: "reference", value: { known: "RN-1" } }, "RN-1"],
  [{ type: "references", value: [{ known: "OS-1" }, { pending: { kind: "test_case", id: "OS-2" } }] }, "OS-1, OS-2"],
])("%j reads as %j", (value, text) => expect(valueText(value, users)).toBe(text));

it("steps say what is done, what is expected, and what they call", () => {
  const step = {
    action: paragraph("Walk"),
    expected: paragraph("It opens"),
    data: paragraph("day pass"),
    call: null,
    attachments: [],
  };
  const call = { target: { known: "SS-2" }, arguments: [{ name: "pass", value: paragraph("guest") }] };
  const none = { blocks: [] };
  const value = { type: "steps", value: [step, { ...step, action: none, expected: none, data: none, call }] } as Value;
  expect(valueText(value, [])).toBe("1. Walk\n    → It opens\n    data: day pass\n2. calls SS-2 (pass: guest) ");
});

it("a link names its type and where it leads", () => {
  expect(linkText({ link_type: "verified_by", target: { artefact: { kind: "test_case", id: "OS-1" } } })).toBe(
    "verified by OS-1",
  );
  expect(linkText({ link_type: { other: "blocks" }, target: { url: "https://x.example" } })).toBe(
    "blocks https://x.example",
  );
});
