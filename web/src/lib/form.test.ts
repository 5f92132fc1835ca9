import { expect, it } from "vitest";
import { fieldOf, hasField } from "./form";

it("names a field by the pointer of a problem (RFC 6901, section 5)", () => {
  expect(fieldOf("/name")).toBe("name");
  expect(fieldOf("/left/system")).toBe("left.system");
  expect([fieldOf("/a~1b"), fieldOf("/m~0n"), fieldOf("/k~01")]).toEqual(["a/b", "m~n", "k~1"]);
  expect(fieldOf("")).toBe("");
});

it("finds a field among those that lie in others, and no field that is not there", () => {
  const values = { name: "", sign_in: { key: undefined } };
  expect([hasField(values, "name"), hasField(values, "sign_in.key")]).toEqual([true, true]);
  expect([hasField(values, "sign_in.login"), hasField(values, "name.length")]).toEqual([false, false]);
  expect([hasField(values, ""), hasField(values, "toString")]).toEqual([false, false]);
});
