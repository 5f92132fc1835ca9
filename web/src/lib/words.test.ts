import { expect, it } from "vitest";
import { count, evidenceWords, kindsWord } from "./words";

it("counts are written with their noun", () => {
  expect(count(1, "change")).toBe("1 change");
  expect(count(1340, "change")).toBe("1,340 changes");
  expect(count(0, "loss", "losses")).toBe("0 losses");
});

it("kinds have a plural", () => {
  expect(kindsWord("test_case")).toBe("test cases");
  expect(kindsWord("shared_steps")).toBe("shared steps");
  expect(kindsWord(undefined)).toBe("items");
});

it("evidence says why two items are taken to be one", () => {
  expect(evidenceWords({ how: "origin", mark: "Old:1" })).toContain("Old:1");
  expect(evidenceWords({ how: "similar", score: 94, title: 94, same_folder: true })).toBe(
    "94 % alike, in the same folder",
  );
});
