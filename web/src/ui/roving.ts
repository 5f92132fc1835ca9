// A list of links that Tab passes in one step and arrow keys walk.
import { useState, type KeyboardEvent } from "react";

const STEPS: Record<string, (at: number, last: number) => number> = {
  ArrowDown: (at, last) => Math.min(at + 1, last),
  ArrowUp: (at) => Math.max(at - 1, 0),
  Home: () => 0,
  End: (_, last) => last,
};

export function useRoving() {
  const [at, setAt] = useState(0);
  return {
    /** For the list. */
    onKeyDown: (e: KeyboardEvent<HTMLElement>) => {
      const step = STEPS[e.key];
      const links = [...e.currentTarget.querySelectorAll<HTMLElement>("a")];
      const here = links.findIndex((link) => link === document.activeElement);
      if (!step || here < 0) return;
      e.preventDefault();
      const next = step(here, links.length - 1);
      setAt(next);
      links[next]?.focus();
    },
    /** Of the link in a place, of so many. */
    tabIndexOf: (n: number, count: number) => (n === Math.min(at, count - 1) ? 0 : -1),
  };
}
