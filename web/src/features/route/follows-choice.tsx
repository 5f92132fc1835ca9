// Which other routes links follow: to the counterpart that one of them made, or back to the item at the left.
import { Check } from "@/ui/basics";

export type Followable = { id: string; name: string; right: string };

type Props = { routes: Followable[]; chosen: string[]; onChange: (chosen: string[]) => void; disabled?: boolean };

export function FollowsChoice({ routes, chosen, onChange, disabled }: Props) {
  if (routes.length === 0) return null;
  return (
    <fieldset className="rounded-lg border border-hair bg-sheet p-4">
      <legend className="sr-only">Links to items of other routes</legend>
      <p className="mb-1 font-semibold">Links to items of other routes</p>
      <p className="mb-2 text-ink-2">
        A link to an item outside this route points to the counterpart that a ticked route created, or else to the item
        at the left.
      </p>
      <ul>
        {routes.map((r) => {
          const on = chosen.includes(r.id);
          return (
            <li key={r.id} className="flex items-center gap-1.5">
              <Check
                state={on ? "in" : "out"}
                label={`Links follow ${r.name}`}
                disabled={disabled}
                onChange={() => onChange(on ? chosen.filter((id) => id !== r.id) : [...chosen, r.id])}
              />
              {r.name} <span className="text-ink-3">to {r.right}</span>
            </li>
          );
        })}
      </ul>
    </fieldset>
  );
}

/** The routes that start where a route does. */
export function followable(
  routes: { id: string; name: string; left: End; right: { system_name: string; container_name: string } }[],
  left: End,
  own?: string,
): Followable[] {
  return routes
    .filter((r) => r.id !== own && r.left.system === left.system && r.left.container === left.container)
    .map((r) => ({ id: r.id, name: r.name, right: `${r.right.system_name} / ${r.right.container_name}` }));
}

type End = { system: string; container: string };
