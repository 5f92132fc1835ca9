// The items before and after one, in the order of its project.
import { Link, useNavigate } from "react-router";
import type { Schemas } from "@/api/client";
import { useKeys } from "@/app/keys";

type Page = Schemas["ArtefactPage"];

export function Neighbours({ a, at }: { a: Page; at: (item: string) => string }) {
  const navigate = useNavigate();
  const go = (to: Page["next"]) => to && void navigate(at(to.id));
  useKeys([
    { key: "[", does: "Previous item", run: () => go(a.previous) },
    { key: "]", does: "Next item", run: () => go(a.next) },
  ]);
  const link = (to: Page["next"], word: string, sign: string) =>
    to ? (
      <Link className="underline" to={at(to.id)} title={`${to.key} ${to.title}`}>
        {word} {sign}
      </Link>
    ) : (
      <span className="text-ink-3">
        {word} {sign}
      </span>
    );
  return (
    <nav aria-label="Other items" className="ml-auto flex gap-3">
      {link(a.previous, "Previous", "[")}
      {link(a.next, "Next", "]")}
    </nav>
  );
}
