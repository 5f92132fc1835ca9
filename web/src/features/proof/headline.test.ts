import { expect, it } from "vitest";
import { lossWords } from "./headline";

it("says one number of losses where declared and recorded are one, and both where they are not", () => {
  expect(lossWords(830, 830, 0)).toBe("830 losses, all foreseen by a plan");
  expect(lossWords(830, 829, 1)).toBe("830 losses, 1 of them not foreseen by any plan");
  expect(lossWords(826, 829, 0)).toBe(
    "826 losses by the rules as they are now; 829 recorded by transfers, all foreseen by a plan",
  );
});
