// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, cleanup, renderHook } from "@testing-library/react";
import type { ReactNode } from "react";
import { afterEach, expect, it, vi } from "vitest";
import { keys } from "@/api/keys";
import type { Route } from "../route/draft";
import { afterSaying, useMatches, type MatchList, type Matched } from "./use-matches";

const put = vi.hoisted(() => vi.fn<() => Promise<unknown>>());
vi.mock("@/api/client", () => ({
  api: { GET: () => new Promise(() => undefined), PUT: put },
  take: (answer: Promise<unknown>) => answer,
}));
afterEach(cleanup);

const route = { id: "r", version: 1, left: { surveyed_at: "a" }, right: { surveyed_at: "b" } } as unknown as Route;
const item = (id: string) => ({ id, key: id, title: id, path: "" });
const row = (n: number): Matched => ({
  item: item(`L${n}`),
  other: item(`R${n}`),
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
  const after = afterSaying(list, [{ row: first, other: item("R9") }]);
  expect(after.doubtful.map((m) => m.item.id)).toEqual(["L1", "L3"]);
  expect(after.settled.map((m) => [m.item.id, m.other?.id])).toEqual([
    ["L2", "R9"],
    ["L4", "R4"],
  ]);
  expect([after.doubtful_count, after.settled_count]).toEqual([2, 2]);
});

it("what is said anew of a settled item stands once", () => {
  const again = afterSaying(list, [{ row: list.settled[0] as Matched, other: null }]);
  expect(again.settled.map((m) => [m.item.id, m.other])).toEqual([["L4", null]]);
  expect(again.settled_count).toBe(1);
});

it("what is said is sent one after the other, told until it is kept, and nobody leaves before unasked", async () => {
  const answers: (() => void)[] = [];
  put.mockImplementation(() => new Promise((done) => answers.push(() => done({}))));
  const queries = new QueryClient();
  queries.setQueryData(keys.matches("r", "lane", 1, "a", "b"), list);
  const wrapper = ({ children }: { children: ReactNode }) => (
    <QueryClientProvider client={queries}>{children}</QueryClientProvider>
  );
  const { result } = renderHook(() => useMatches(route, "lane"), { wrapper });
  const leaves = () => window.dispatchEvent(new Event("beforeunload", { cancelable: true }));
  let kept = false;
  expect(leaves()).toBe(true);
  await act(async () => {
    for (const one of list.doubtful.slice(0, 2)) result.current.say([{ row: one, other: one.other ?? null }]);
    void result.current.allKept().then(() => (kept = true));
    await Promise.resolve();
  });
  expect([result.current.unsent, put.mock.calls.length, kept, leaves()]).toEqual([2, 1, false, false]);
  for (const left of [1, 0]) {
    await act(async () => {
      answers.shift()?.();
      await new Promise((done) => setTimeout(done, 0));
    });
    expect(result.current.unsent).toBe(left);
  }
  expect([put.mock.calls.length, kept, leaves()]).toEqual([2, true, true]);
});
