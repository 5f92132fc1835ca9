// The lanes of a route while they are edited: what they are now, and what they were before each change.

/** Changes that can be taken back. */
const KEPT = 50;

export type Edits<T> = {
  /** What stood before each change, the latest last. */
  past: T[];
  /** Nothing as long as nothing was changed since it was saved. */
  now: T | null;
  /** What was taken back, the latest last. */
  undone: T[];
};

export type Edit<T> =
  /** What is saved is told with each change, since the first one begins from it. */
  { does: "change"; saved: T; to: (now: T) => T } | { does: "undo" } | { does: "redo" } | { does: "saved" };

export const unedited: Edits<never> = { past: [], now: null, undone: [] };

const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);

/** What one edit makes of it. A change to what is there already is none. */
export function edited<T>(edits: Edits<T>, edit: Edit<T>): Edits<T> {
  const { past, now, undone } = edits;
  switch (edit.does) {
    case "change": {
      const from = now ?? edit.saved;
      const to = edit.to(from);
      return same(from, to) ? edits : { past: [...past, from].slice(-KEPT), now: to, undone: [] };
    }
    case "undo": {
      const before = past.at(-1);
      if (before === undefined || now === null) return edits;
      return { past: past.slice(0, -1), now: before, undone: [...undone, now] };
    }
    case "redo": {
      const next = undone.at(-1);
      if (next === undefined || now === null) return edits;
      return { past: [...past, now], now: next, undone: undone.slice(0, -1) };
    }
    case "saved":
      return unedited;
  }
}
