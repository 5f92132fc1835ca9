import { expect, it } from "vitest";
import { sentence } from "./permissions";

it("says in a sentence what a key can do, and whether it writes", () => {
  expect(sentence(["dry_run", "look"])).toBe(
    "Can read systems, routes, plans and proofs; check and survey systems, run dry runs and proofs. Writes nothing to any system.",
  );
  expect(sentence(["transfer"])).toBe("Can decide about changes and transfer them.");
  expect(sentence([])).toBe("Can do nothing.");
});
