import { expect, it } from "vitest";
import { grouped, type Key } from "./keys";

const key = (k: string, does: string): Key => ({ key: k, does, run: () => {} });

it("lists what keys do once each, with every key that does it, and itself last", () => {
  const list = grouped([key("j", "Next change"), key("k", "Previous change"), key("ArrowDown", "Next change")]);
  expect(list.map(([does, keys]) => [does, keys.map((k) => k.key)])).toEqual([
    ["Next change", ["j", "ArrowDown"]],
    ["Previous change", ["k"]],
    ["This list", ["?"]],
  ]);
});
