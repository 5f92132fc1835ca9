// The part of the address that says what is shown: changed piece by piece, each change on top of the one before, whether
// that was shown already or not.
import { useCallback, useLayoutEffect, useRef } from "react";
import { useSearchParams } from "react-router";

type Change = Record<string, string | undefined>;

/** The query of the address; how pieces of it are put, or taken away where they say nothing; and how others take its place. */
export function useQueryParts(): [URLSearchParams, (change: Change) => void, (others: Record<string, string>) => void] {
  const [query, setQuery] = useSearchParams();
  // Two changes may come before the first is shown, such as a click while what was typed is about to be asked for.
  const latest = useRef(query);
  const setter = useRef(setQuery);
  useLayoutEffect(() => {
    latest.current = query;
    setter.current = setQuery;
  }, [query, setQuery]);
  const show = useCallback((next: URLSearchParams) => {
    latest.current = next;
    setter.current(next, { replace: true });
  }, []);
  const put = useCallback(
    (change: Change) => {
      const next = new URLSearchParams(latest.current);
      for (const [name, value] of Object.entries(change))
        if (value) next.set(name, value);
        else next.delete(name);
      show(next);
    },
    [show],
  );
  const only = useCallback((others: Record<string, string>) => show(new URLSearchParams(others)), [show]);
  return [query, put, only];
}
