import { describe, expect, it } from "vitest";
import type { Schemas } from "@/api/client";
import { completions } from "./expression-names";

const names: Schemas["Names"] = {
  places: [],
  names: [
    { text: "title", label: "Title", is: "a text" },
    { text: "fields.owner", label: "Owner", is: "a text", field: "owner" },
  ],
  functions: [
    { name: "size", member: false, form: "a text → a whole number" },
    { name: "size", member: false, form: "a list → a whole number" },
    { name: "contains", member: true, form: "a text, a text → yes or no" },
  ],
};
const offered = (before: string) => {
  const found = completions(names, before, 10);
  return { from: found?.from, labels: found?.options.map((o) => o.label) };
};

describe("what is offered while an expression is typed", () => {
  it("is every name and function at the beginning of a word, each once", () => {
    expect(offered("ti")).toEqual({ from: 10, labels: ["title", "fields.owner", "size()"] });
    expect(offered("fields.ow")).toEqual({ from: 10, labels: ["title", "fields.owner", "size()"] });
  });
  it("is what stands behind a dot, behind one", () => {
    expect(offered("fields.owner.con")).toEqual({ from: 23, labels: ["contains()"] });
    expect(offered("title.")).toEqual({ from: 16, labels: ["contains()"] });
  });
  it("is nothing before the names are known", () => {
    expect(completions(undefined, "ti", 0)).toBeNull();
  });
  it("tells what a name is, and opens the brackets of a function", () => {
    const [title, , size] = completions(names, "", 0)!.options;
    expect([title!.detail, size!.apply]).toEqual(["Title, a text", "size("]);
  });
});
