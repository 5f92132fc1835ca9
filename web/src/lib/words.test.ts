import { expect, it } from "vitest";
import { count, counted, evidenceWords, kindsWord, notRead, versionWord } from "./words";
import type { Schemas } from "@/api/client";

it("counts are written with their noun", () => {
  expect(count(1, "change")).toBe("1 change");
  expect(count(1340, "change")).toBe("1,340 changes");
  expect(count(0, "loss", "losses")).toBe("0 losses");
  expect(counted({ total: 1, more: false }, "item")).toBe("1 item");
  expect(counted({ total: 500, more: true }, "item")).toBe("over 500 items");
});

it("kinds have a plural", () => {
  expect(kindsWord("test_case")).toBe("test cases");
  expect(kindsWord("shared_steps")).toBe("shared steps");
  expect(kindsWord(undefined)).toBe("items");
});

it("evidence says why two items are taken to be one", () => {
  expect(evidenceWords({ how: "origin", mark: "Old:1" })).toContain("Old:1");
  expect(evidenceWords({ how: "similar", score: 94, title: 94, same_folder: true })).toBe(
    "94% similar, in the same folder",
  );
});

it("a version is written without the quotes of its tag and without a second word for “version”", () => {
  expect(versionWord('"7"')).toBe("7");
  expect(versionWord('W/"v12"')).toBe("12");
  expect(versionWord("v1")).toBe("1");
  expect(versionWord("vellum")).toBe("vellum");
  expect(versionWord("2026-03-02T08:00:00Z")).toBe("2026-03-02T08:00:00Z");
});

it("what is not read is told with what to do about it", () => {
  const told = (what: Schemas["NotRead"], field?: string) => notRead({ kind: "test_case", field, what });
  expect(told({ what: "unknown_type", word: "colour" }, "Paint")).toMatch(/^Test case, “Paint”: .*“colour”.*profile/);
  expect(told({ what: "no_such_kind", word: "tc" })).toMatch(/^Test case: .*“tc”.*permission/);
  expect(told({ what: "says_too_little", why: "it has no id" }, "Paint")).toContain("it has no id");
});
