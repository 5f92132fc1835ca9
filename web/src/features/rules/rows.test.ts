import { expect, it } from "vitest";
import type { Schemas } from "@/api/client";
import type { Lane } from "../route/draft";
import { notTaken, rowsOf } from "./rows";

const field = (id: string, more: object = {}) => ({ id, name: id, value_type: "text", ...more });
const kind = (...fields: object[]) => ({ kind: "test_case", name: "Case", fields }) as unknown as Schemas["KindSchema"];
const lane = (...rules: object[]) => ({ id: "l", left_kind: "test_case", right_kind: "test_case", rules }) as Lane;
const rule = (target: string, source: unknown) => ({ id: target, into: { right: { target, source } } });

it("each field that can be written has a row, and each rule has one, whatever became of its field", () => {
  const right = kind(field("title"), field("made", { read_only: true }), field("links"));
  const rows = rowsOf(lane(rule("title", { field: "name" }), rule("gone", { field: "x" })), right);
  expect(rows.map((r) => [r.target, !!r.schema, !!r.rule])).toEqual([
    ["title", true, true],
    ["links", true, false],
    ["gone", false, true],
  ]);
});

it("what no rule takes is told once: as a field, as what hangs on items, or as kept", () => {
  const left = kind(field("name"), field("colour"), field("mark", { origin_mark: true }), field("@history"));
  const of = lane(rule("title", { field: "name" }));
  const told = notTaken(of, left, rowsOf(of, kind(field("title"))));
  expect(told.unused.map((f) => f.id)).toEqual(["colour"]);
  expect(told.keepsHistory).toBe(true);
  const carried = lane(rule("comments", "comments_and_history"));
  expect(notTaken(carried, left, []).keepsHistory).toBe(false);
});
