import { expect, it } from "vitest";
import { missing, none } from "./end-choice";

const end = (system: string, container: string) => ({ system, container, name: system });

it("says what is still to be chosen, the systems before the projects", () => {
  expect(missing(none, none)).toBe("Choose both ends.");
  expect(missing(end("a", "x"), none)).toBe("Choose the right system.");
  expect(missing(none, end("a", "x"))).toBe("Choose the left system.");
  expect(missing(end("a", "x"), end("b", ""))).toBe("Choose the right project.");
  expect(missing(end("a", "x"), end("a", "x"))).toBe("Both ends are the same project.");
  expect(missing(end("a", "x"), end("a", "y"))).toBeUndefined();
});
