// Links of an item, and links that lead to it.
import { Link } from "react-router";
import type { Schemas } from "@/api/client";
import { itemPath } from "@/lib/paths";

export function Links({
  links,
  system,
  container,
  from = false,
}: {
  links: Schemas["ShownLink"][];
  system: string;
  container: string;
  from?: boolean;
}) {
  return (
    <ul className="space-y-1">
      {links.map((l, n) => (
        <li key={n} className="break-words">
          {!from && <span className="text-ink-3">{l.word} </span>}
          {l.item ? (
            <Link
              className="underline decoration-hair underline-offset-2"
              to={itemPath(system, container, l.item.kind, l.item.id)}
            >
              <span className="mono">{l.key}</span> {l.title}
            </Link>
          ) : l.url?.startsWith("http") ? (
            <a className="underline" href={l.url} target="_blank" rel="noreferrer">
              {l.title}
            </a>
          ) : (
            <span>
              {l.key} {l.title}
            </span>
          )}
          {from && <span className="text-ink-3"> {l.word} it</span>}
        </li>
      ))}
    </ul>
  );
}
