// What matching finds in a lane, and what a person says of it: kept at once, shown at once, taken back at once.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, take, type Schemas } from "@/api/client";
import { keys } from "@/api/keys";
import type { Route } from "../route/draft";

export type MatchList = Schemas["MatchList"];
export type Matched = Schemas["Matched"];
export type MatchItem = Schemas["MatchItem"];
type Settle = Schemas["Settle"];

/** What is said of an item of the end that is read: its counterpart, or that there is none. */
export type Saying = { row: Matched; other: MatchItem | null };

/** The list once something was said. */
export function afterSaying(list: MatchList, sayings: Saying[]): MatchList {
  const about = new Map(sayings.map((s) => [s.row.item.id, s]));
  const rest = (rows: Matched[]) => rows.filter((m) => !about.has(m.item.id));
  const lists = { doubtful: rest(list.doubtful), sure: rest(list.sure), settled: rest(list.settled) };
  const gone = (before: Matched[], now: Matched[]) => before.length - now.length;
  const settled: Matched[] = sayings.map(({ row, other }) => ({
    ...row,
    other,
    evidence: { how: "settled" },
    doubt: 0,
    settled_by: null,
    settled_at: null,
  }));
  return {
    ...list,
    ...lists,
    settled: [...settled, ...lists.settled],
    doubtful_count: list.doubtful_count - gone(list.doubtful, lists.doubtful),
    sure_count: list.sure_count - gone(list.sure, lists.sure),
    settled_count: list.settled_count - gone(list.settled, lists.settled) + settled.length,
  };
}

export function useMatches(route: Route, lane: string) {
  const queries = useQueryClient();
  const key = keys.matches(route.id, lane, route.version, route.left.surveyed_at, route.right.surveyed_at);
  const [error, setError] = useState<unknown>();
  const past = useRef<MatchList[]>([]);
  const [undoable, setUndoable] = useState(0);
  // One after the other: what is said last holds.
  const line = useRef<Promise<unknown>>(Promise.resolve());
  const [unsent, setUnsent] = useState(0);
  const sending = unsent > 0;
  // Whoever leaves before all of it is kept is asked first.
  useEffect(() => {
    if (!sending) return;
    const ask = (leaving: BeforeUnloadEvent) => leaving.preventDefault();
    window.addEventListener("beforeunload", ask);
    return () => window.removeEventListener("beforeunload", ask);
  }, [sending]);
  const list = useQuery({
    queryKey: key,
    queryFn: () => take(api.GET("/routes/{id}/matches/{lane}", { params: { path: { id: route.id, lane } } })),
    enabled: !!lane,
  });
  const send = (settle: Settle[], back?: MatchList) => {
    const path = { id: route.id, lane };
    const sent = line.current.then(() =>
      take(api.PUT("/routes/{id}/matches/{lane}", { params: { path }, body: { settle } })),
    );
    setUnsent((n) => n + 1);
    line.current = sent
      .catch((caught: unknown) => {
        setError(caught);
        if (back) queries.setQueryData(key, back);
      })
      .finally(() => setUnsent((n) => n - 1));
  };
  const say = (sayings: Saying[]) => {
    const before = queries.getQueryData<MatchList>(key);
    if (!before || sayings.length === 0) return;
    setError(undefined);
    past.current.push(before);
    setUndoable(past.current.length);
    queries.setQueryData(key, afterSaying(before, sayings));
    send(
      sayings.map(({ row, other }) => ({ item: row.item.id, said: other ? { other: other.id } : "nobody" })),
      before,
    );
  };
  const takeBack = () => {
    const before = past.current.pop();
    const now = queries.getQueryData<MatchList>(key);
    if (!before || !now) return;
    setUndoable(past.current.length);
    queries.setQueryData(key, before);
    const was = new Map(before.settled.map((m) => [m.item.id, m]));
    const changed = now.settled.filter((m) => was.get(m.item.id)?.other?.id !== m.other?.id || !was.has(m.item.id));
    send(
      changed.map((m) => {
        const old = was.get(m.item.id);
        return { item: m.item.id, said: !old ? "open" : old.other ? { other: old.other.id } : "nobody" };
      }),
    );
  };
  /** Matching decides again. */
  const open = (rows: Matched[]) => {
    send(rows.map((m) => ({ item: m.item.id, said: "open" })));
    past.current = [];
    setUndoable(0);
    void line.current.then(() => queries.invalidateQueries({ queryKey: key }));
  };
  /** Until all that was said so far is kept, or refused. */
  const allKept = () => line.current;
  return { list, say, takeBack, open, undoable, unsent, allKept, error };
}
