import { expect, it } from "vitest";
import { followable } from "./follows-choice";
import { someRoute } from "./some-route";

it("links can follow the other routes that start at the same project, and no others", () => {
  const { left } = someRoute({});
  const routes = [
    someRoute({ id: "own" }),
    someRoute({ id: "same", name: "Into the sandbox" }),
    someRoute({ id: "project", left: { ...left, container: "other" } }),
    someRoute({ id: "system", left: { ...left, system: "other" } }),
  ];
  expect(followable(routes, left, "own")).toEqual([
    { id: "same", name: "Into the sandbox", right: "Tallybench / Lift control" },
  ]);
});
