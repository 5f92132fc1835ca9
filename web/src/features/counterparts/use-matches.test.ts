import { expect, it } from "vitest";
import { afterSaying, type MatchList, type Matched } from "./use-matches";

const item = (id: string) => ({ id, key: id, title: id, path: "" });
const row = (n: number): Matched => ({
  left: item(`L${n}`),
  right: item(`R${n}`),
  evidence: { how: "similar", score: 80, title: 80, same_folder: true },
  doubt: 20,
});
const list: MatchList = {
  doubtful: [row(1), row(2), row(3)],
  doubtful_count: 3,
  settled: [row(4)],
  settled_count: 1,
  sure: [],
  sure_count: 0,
  alone: { left: 0, right: 0 },
};

it("what is said moves to what is settled, and the counts with it", () => {
  const first = list.doubtful[1] as Matched;
  const after = afterSaying(list, [{ row: first, right: item("R9") }]);
  expect(after.doubtful.map((m) => m.left.id)).toEqual(["L1", "L3"]);
  expect(after.settled.map((m) => [m.left.id, m.right?.id])).toEqual([
    ["L2", "R9"],
    ["L4", "R4"],
  ]);
  expect([after.doubtful_count, after.settled_count]).toEqual([2, 2]);
});

it("what is said anew of a settled item stands once", () => {
  const again = afterSaying(list, [{ row: list.settled[0] as Matched, right: null }]);
  expect(again.settled.map((m) => [m.left.id, m.right])).toEqual([["L4", null]]);
  expect(again.settled_count).toBe(1);
});
