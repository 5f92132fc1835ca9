// Where a person goes about what a proof says waits for them.
import type { Schemas } from "@/api/client";
import { count } from "@/lib/words";

export type Door = { text: string; to: string };

const stop: Partial<Record<Schemas["DifferenceCause"], string>> = {
  left_out: "../dry-run?out=1",
  cannot_be_carried: "../dry-run?outcome=blocked",
  refused: "../transfer",
  right_changed_since: "../dry-run?outcome=held_right",
  right_unreadable: "../dry-run?outcome=unreadable",
};

/** What waits for one cause, in words, and where it is dealt with. */
export function doors(w: Schemas["WaitsAnswer"]): Door[] {
  if (w.cause === "waits_for_others")
    return [{ text: `${count(w.items, "item waits", "items wait")} for items they refer to`, to: "../dry-run" }];
  if (w.cause !== "undecided")
    return [{ text: `${count(w.items, "item")}: ${w.why}`, to: stop[w.cause] ?? "../dry-run" }];
  const out: Door[] = [];
  const inConflict = w.items - w.whole;
  if (inConflict > 0)
    out.push({
      text: `${count(inConflict, "item")} in conflict: ${count(w.fields, "field waits", "fields wait")} for a decision`,
      to: "../dry-run?conflicts=1",
    });
  if (w.whole > 0)
    out.push({
      text: `${count(w.whole, "counterpart")} undecided: the same item, or a new one?`,
      to: "../counterparts",
    });
  return out;
}
