// An item of one of a route's ends, as a link to its page.
import { Link } from "react-router";
import { itemPath } from "@/lib/paths";
import type { Route } from "./draft";

type Props = {
  end: Route["left"];
  kind: string;
  item: { id: string; key: string; title?: string | null };
  /** -1 in a list that arrow keys walk, but for one. */
  tabIndex?: number;
};

export function ItemLink({ end, kind, item, tabIndex }: Props) {
  return (
    <Link
      tabIndex={tabIndex}
      className="block truncate hover:underline"
      to={itemPath(end.system, end.container, kind, item.id)}
    >
      <span className="mono mr-1.5 text-ink-2">{item.key || item.id}</span>
      {item.title ?? <span className="text-ink-3">not in the last survey</span>}
    </Link>
  );
}
