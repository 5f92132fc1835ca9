import { renderToStaticMarkup } from "react-dom/server";
import { describe, expect, it } from "vitest";
import type { Schemas } from "@/api/client";
import { Shown, StaysAt } from "./pieces";

type Diff = Schemas["ValueDiff"];
type Change = Schemas["PieceChange"];
type Step = Schemas["StepDiff"];

const html = (value: Diff, side?: "before" | "after") => renderToStaticMarkup(<Shown value={value} side={side} />);
/** What a person reads: the words, without their look. */
const words = (value: Diff, side?: "before" | "after") =>
  html(value, side)
    .replaceAll(/<[^>]+>/g, " ")
    .replaceAll("&lt;", "<")
    .replaceAll("&gt;", ">")
    .replaceAll("&amp;", "&")
    .replaceAll(/\s+/g, " ")
    .trim();

const text = (...pieces: [string, Change][]): Diff => ({
  shape: "text",
  pieces: pieces.map(([text, change]) => ({ text, change })),
});

const line = (text: string, change: Change = "same", kind: Schemas["LineKind"] = "paragraph"): Schemas["RichLine"] => ({
  kind,
  depth: 0,
  change,
  pieces: [{ text, change, marks: [] }],
});

describe("a difference inside a text", () => {
  const renamed = text(["Line ", "same"], ["stops", "removed"], ["halts", "added"], [" in time", "same"]);

  it("marks what came and what went as what they are", () => {
    expect(html(renamed)).toContain("<del>stops</del>");
    expect(html(renamed)).toContain("<ins>halts</ins>");
  });

  it("shows each side as it is", () => {
    expect(html(renamed, "before")).not.toContain("halts");
    expect(html(renamed, "after")).not.toContain("stops");
    expect(words(renamed, "before").replaceAll(" ", "")).toBe("Linestopsintime");
  });

  it("says that nothing is there", () => {
    expect(words(text())).toBe("empty");
    expect(words({ shape: "rich", lines: [] })).toBe("empty");
    expect(words({ shape: "rich", lines: [line("   ")] })).toBe("empty");
    expect(words({ shape: "steps", steps: [] })).toBe("empty");
  });

  it("never takes words for markup", () => {
    const odd = text(["<script>alert(1)</script> & مرحبا 🚡", "same"]);
    expect(html(odd)).not.toContain("<script>");
    expect(words(odd)).toBe("<script>alert(1)</script> & مرحبا 🚡");
  });
});

describe("a rich text", () => {
  it("keeps its lists, headings and formats", () => {
    const marked = { text: "fail-safe", change: "same" as const, marks: ["strong" as const, "emphasis" as const] };
    const value: Diff = {
      shape: "rich",
      lines: [
        line("Brakes", "same", "heading"),
        { ...line(""), pieces: [marked] },
        line("first", "same", { item: 1 }),
        line("dot", "same", { item: null }),
      ],
    };
    expect(words(value)).toBe("Brakes fail-safe 1. first • dot");
    expect(html(value)).toMatch(/<b[^>]*><em>fail-safe<\/em><\/b>/);
  });

  it("leaves out a line that the side does not have", () => {
    const value: Diff = { shape: "rich", lines: [line("stays"), line("came", "added"), line("went", "removed")] };
    expect(words(value, "before")).toBe("stays went");
    expect(words(value, "after")).toBe("stays came");
    expect(words(value)).toBe("stays came went");
  });

  it("shows where a link leads without leading there", () => {
    const value: Diff = {
      shape: "rich",
      lines: [
        {
          ...line(""),
          pieces: [{ text: "minutes", change: "same", marks: [{ link: "https://wiki.skarnvik.example" }] }],
        },
      ],
    };
    expect(html(value)).toContain('title="https://wiki.skarnvik.example"');
    expect(html(value)).not.toContain("<a ");
  });
});

describe("steps", () => {
  const step = (action: string, more: Partial<Step> = {}): Step => ({
    before: 1,
    after: 1,
    action: [line(action)],
    expected: [],
    data: [],
    call: [],
    files: [],
    ...more,
  });

  it("are shown with what they expect, their data, calls and files", () => {
    const value: Diff = {
      shape: "steps",
      steps: [
        step("Press stop", {
          expected: [line("All cabins rest")],
          data: [line("half load")],
          files: [{ text: "where to stand.png", change: "same" }],
        }),
        step("", { before: 2, after: 2, action: [], call: [{ text: "SS-1 Start the line", change: "same" }] }),
      ],
    };
    expect(words(value)).toBe(
      "1 Press stop expected All cabins rest data half load files where to stand.png 2 calls SS-1 Start the line",
    );
  });

  it("are counted as their side counts them", () => {
    const value: Diff = {
      shape: "steps",
      steps: [
        step("new first", { before: undefined, after: 1, action: [line("new first", "added")] }),
        step("old", { before: 1, after: 2 }),
      ],
    };
    expect(words(value, "before")).toBe("1 old");
    expect(words(value, "after")).toBe("1 new first 2 old");
  });
});

it("where a file stays is a link only if it is an address", () => {
  const shown = (after: string) => renderToStaticMarkup(<StaysAt after={after} />);
  expect(shown("https://old.skarnvik.example/OS-1")).toContain('href="https://old.skarnvik.example/OS-1"');
  for (const none of ["", "shortened", "javascript:alert(1)", "the same bytes, of image/png"]) {
    expect(shown(none)).toBe("");
  }
});

describe("a table", () => {
  const row = (kind: Schemas["LineKind"], ...cells: string[]): Schemas["RichLine"] => ({
    kind,
    depth: 0,
    change: "same",
    pieces: cells.flatMap((text, n) => [
      ...(n > 0 ? [{ text: " ", change: "same" as const, marks: ["cell" as const] }] : []),
      ...(text ? [{ text, change: "same" as const, marks: [] }] : []),
    ]),
  });
  const shown = html({
    shape: "rich",
    lines: [line("Before"), row("header_row", "Wind", "Speed"), row("row", "12 m/s", ""), line("After")],
  });
  const columns = (tag: string) =>
    [...shown.matchAll(new RegExp(`<${tag}\\b[^>]*>(.*?)</${tag}>`, "g"))].map((m) => m[1]);

  it("is a table, with its column names as such and empty cells in their place", () => {
    expect(columns("th")).toEqual(["Wind", "Speed"]);
    expect(columns("td")).toEqual(["12 m/s", ""]);
    expect(shown.match(/<table/g)).toHaveLength(1);
  });

  it("stands between the lines around it, and two tables are two", () => {
    expect(shown.indexOf("Before")).toBeLessThan(shown.indexOf("<table"));
    expect(shown.indexOf("After")).toBeGreaterThan(shown.indexOf("</table>"));
    const two = html({ shape: "rich", lines: [row("header_row", "a"), row("row", "b"), row("header_row", "c")] });
    expect(two.match(/<table/g)).toHaveLength(2);
  });
});
