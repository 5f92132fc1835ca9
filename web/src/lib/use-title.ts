// The title of the page, so that windows and their history can be told apart; a new one is said to whoever listens.
import { useEffect, useSyncExternalStore } from "react";

let now = "";
const listeners = new Set<() => void>();

/** Names the page by its parts, the most particular first; parts that are not known yet are left out. */
export function useTitle(...parts: (string | undefined | null)[]) {
  const title = [...parts.filter(Boolean), "Hovrel"].join(" · ");
  useEffect(() => {
    document.title = title;
    now = title;
    listeners.forEach((tell) => tell());
  }, [title]);
}

const listen = (tell: () => void) => {
  listeners.add(tell);
  return () => void listeners.delete(tell);
};

/** The title that the page has now. */
export const useTitleNow = () => useSyncExternalStore(listen, () => now);
