import { expect, it } from "vitest";
import type { Schemas } from "@/api/client";
import { doors } from "./doors";

const waits = (more: Partial<Schemas["WaitsAnswer"]>): Schemas["WaitsAnswer"] => ({
  cause: "left_out",
  why: "left out by decision",
  items: 3,
  whole: 0,
  fields: 5,
  ...more,
});

it("what is undecided leads to the conflicts and to the counterparts, each with its own figure", () => {
  const [conflicts, counterparts] = doors(
    waits({ cause: "undecided", why: "waits for a decision", items: 34, whole: 14 }),
  );
  expect(conflicts?.text).toMatch(/^20 items in conflict: 5 fields wait for a decision/);
  expect(conflicts?.to).toContain("conflict");
  expect(counterparts?.text).toMatch(/^14 counterparts undecided/);
  expect(counterparts?.to).toContain("counterparts");
  expect(doors(waits({ cause: "undecided", items: 1, whole: 1 })).map((d) => d.to)).toEqual(["../counterparts"]);
});

it("what was refused is in the transfer, all else in the dry run", () => {
  expect(doors(waits({ cause: "refused" }))[0]?.to).toBe("../transfer");
  expect(doors(waits({}))[0]).toEqual({ text: "3 items: left out by decision", to: "../dry-run?out=1" });
  expect(doors(waits({ cause: "not_planned_yet" }))[0]?.to).toBe("../dry-run");
});
