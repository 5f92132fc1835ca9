import { expect, it } from "vitest";
import { somePlan } from "../route/some-route";
import { countOf, filterOf, filterWords, outcomes, whyNot } from "./listed";

it("an address is read as what it filters by, and said in words", () => {
  const filter = filterOf(new URLSearchParams("outcome=new_right&losses=1&out=1&find=brake&kind=test_case"));
  expect(filter).toMatchObject({ outcome: "new_right", kind: "test_case", with_losses: true, in_conflict: false });
  expect(filterWords(filter)).toBe("new at right, with losses, left out, with “brake”");
  expect(filterWords(filterOf(new URLSearchParams()))).toBe("");
});

it("the chips that divide a plan are all of it", () => {
  const count = (outcome: string, included: boolean, n: number) => ({ outcome, kind: "test_case", included, count: n });
  const plan = somePlan({
    changes: 14,
    outcomes: [count("new_right", true, 9), count("new_right", false, 1), count("adopt", false, 4)],
  });
  expect(countOf(plan, "new_right")).toBe(10);
  expect(outcomes.reduce((n, o) => n + countOf(plan, o), 0)).toBe(plan.changes);
});

it("a plan is not transferred with other rules than it was made with, nor with nothing in it", () => {
  const plan = somePlan({ route_version: 3 });
  expect(whyNot(plan, 3)).toBe(false);
  expect(whyNot(plan, 4)).toMatch(/^The rules were saved since/);
  expect(whyNot(somePlan({ route_version: 3, included: 0 }), 3)).toBe("Nothing is included.");
});
