// Groups of items of one end that seem to be one thing. They are pointed out; nothing is merged.
import { Link } from "react-router";
import type { Schemas } from "@/api/client";
import { itemPath } from "@/lib/paths";
import { count } from "@/lib/words";
import { Scroll } from "@/ui/scroll";

type Props = {
  found?: Pick<Schemas["KindSurvey"], "doubles" | "doubles_count">;
  system: string;
  container: string;
  kind: string;
  name: string;
};

/** How many groups there are; only the surest are listed. */
export function doublesWords(found: Props["found"]): string {
  const [all, listed] = [found?.doubles_count ?? 0, found?.doubles?.length ?? 0];
  return count(all, "group") + (all > listed ? `, the most similar ${listed} of them listed` : "");
}

export function DoubleGroups({ found, system, container, kind, name }: Props) {
  return (
    <Scroll as="ul" aria-label={`Groups at ${name}`} className="min-h-0 flex-1">
      {found?.doubles?.map((g) => (
        <li key={g.items[0]?.id} className="border-b border-hair-2 px-4 py-2 last:border-0">
          <p className="text-[11px] text-ink-2">
            {count(g.items.length, "item")}, {g.score}% similar or more
          </p>
          {g.items.map((i) => (
            <p key={i.id} className="truncate" title={`${i.title} (${i.path})`}>
              <Link
                className="mono mr-1.5 text-ink-2 underline decoration-hair underline-offset-3"
                to={itemPath(system, container, kind, i.id)}
              >
                {i.key}
              </Link>
              {i.title} <span className="text-ink-3">{i.path}</span>
            </p>
          ))}
        </li>
      ))}
      {!found?.doubles_count && <li className="px-4 py-4 text-ink-3">No likely duplicates.</li>}
    </Scroll>
  );
}
