import { expect, it } from "vitest";
import { fieldOf } from "./form";

it("names a field by the pointer of a problem (RFC 6901, section 5)", () => {
  expect(fieldOf("/name")).toBe("name");
  expect(fieldOf("/left/system")).toBe("left.system");
  expect([fieldOf("/a~1b"), fieldOf("/m~0n"), fieldOf("/k~01")]).toEqual(["a/b", "m~n", "k~1"]);
  expect(fieldOf("")).toBe("");
});
