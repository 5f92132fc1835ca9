// Other items that could be the counterpart, likest first; a digit chooses.
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, take } from "@/api/client";
import { keys } from "@/api/keys";
import { useKeys } from "@/app/keys";
import { useDebounce } from "use-debounce";
import { RESTS_MS } from "@/lib/rests";
import { Kbd, Loading, Trouble } from "@/ui/basics";
import type { Route } from "../route/draft";
import type { MatchItem, Matched } from "./use-matches";

type Props = {
  route: Route;
  lane: string;
  row: Matched;
  /** What was said a moment ago must be kept first: an item that it named is offered to no other. */
  allKept: () => Promise<unknown>;
  choose: (other: MatchItem) => void;
};

export function Others({ route, lane, row, allKept, choose }: Props) {
  const [typed, setTyped] = useState("");
  const [find] = useDebounce(typed, RESTS_MS);
  const section = useRef<HTMLElement>(null);
  const others = useQuery({
    queryKey: keys.others(route.id, lane, row.item.id, find),
    queryFn: async () => {
      await allKept();
      const params = { path: { id: route.id, lane }, query: { item: row.item.id, find: find || undefined } };
      return take(api.GET("/routes/{id}/matches/{lane}/others", { params }));
    },
    placeholderData: keepPreviousData,
  });
  const list = others.data ?? [];
  // The digits are for the list: whoever wants to type goes to the field by Tab.
  useEffect(() => section.current?.focus(), []);
  useKeys(
    Array.from({ length: 9 }, (_, n) => ({
      key: String(n + 1),
      does: `Choose number ${n + 1}`,
      run: () => list[n] && choose(list[n].item),
    })),
  );
  return (
    <section
      ref={section}
      tabIndex={-1}
      aria-label="Choose another"
      className="min-h-0 flex-1 overflow-auto bg-sheet focus:outline-none"
    >
      <div className="sticky top-0 flex items-center gap-3 border-b border-hair bg-wash px-4 py-1.5">
        <b className="font-semibold">Counterpart of {row.item.key}</b>
        <label className="ml-auto flex items-center gap-2 text-ink-2">
          Key or title
          <input
            className="field w-[240px]"
            aria-label="Key or title"
            value={typed}
            onChange={(e) => setTyped(e.target.value)}
          />
        </label>
      </div>
      {others.isPending && <Loading what="the others" />}
      <Trouble error={others.error} />
      {others.data && list.length === 0 && (
        <p className="px-4 py-3 text-ink-3">
          {find ? "No unpaired item matches." : "No unpaired item has a word in common with it."}
        </p>
      )}
      <ol>
        {list.map(({ item, likeness }, n) => (
          <li key={item.id}>
            <button
              type="button"
              onClick={() => choose(item)}
              className="grid w-full grid-cols-[34px_90px_1fr_1fr] items-baseline gap-2 border-b border-hair-2 px-4 py-1.5 text-left hover:bg-wash"
            >
              <span>
                <Kbd>{n + 1}</Kbd>
              </span>
              <span>
                <b className="font-semibold">{likeness.score}%</b>
              </span>
              <span className="truncate">
                <span className="mono mr-1.5 text-ink-2">{item.key}</span>
                {item.title}
              </span>
              <span className="truncate text-ink-3">{item.path || "in no folder"}</span>
            </button>
          </li>
        ))}
      </ol>
    </section>
  );
}
