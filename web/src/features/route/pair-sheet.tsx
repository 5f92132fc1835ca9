// Pairs behind a count: a sheet with both items of each, as links; and the count of a lane's pairs that opens it.
import { useQuery } from "@tanstack/react-query";
import { useState, type ReactNode } from "react";
import { api, take, type Schemas } from "@/api/client";
import { keys } from "@/api/keys";
import { count } from "@/lib/words";
import { ListSheet, Opens } from "@/ui/list-sheet";
import type { Route } from "./draft";
import { ItemLink } from "./item-link";

type Props = {
  route: Route;
  title: string;
  queryKey: (find: string) => readonly unknown[];
  page: (find: string, after?: string) => Promise<Schemas["PairPage"]>;
  note?: (total: number) => ReactNode;
  close: () => void;
};

export function PairSheet({ route, close, ...list }: Props) {
  return (
    <ListSheet
      {...list}
      open
      onOpenChange={(open) => !open && close()}
      keyOf={(pair) => `${pair.left.kind} ${pair.left.id}`}
      row={(pair) => (
        <div className="grid grid-cols-2 gap-3 px-3 py-1">
          <ItemLink end={route.left} kind={pair.left.kind} item={pair.left} />
          <ItemLink end={route.right} kind={pair.right.kind} item={pair.right} />
        </div>
      )}
    />
  );
}

const pairsOf = (route: string, query: { lane: string; find?: string; after?: string; limit?: number }) =>
  take(api.GET("/routes/{id}/pairs", { params: { path: { id: route }, query } }));

type LaneProps = { route: Route; lane: string; counted: number; children: ReactNode };

/** How many pairs a lane has, as they were counted at some time; opens those that it has now. */
export function LanePairs({ route, lane, counted, children }: LaneProps) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Opens onClick={() => setOpen(true)}>{children}</Opens>
      {open && (
        <PairSheet
          route={route}
          title={count(counted, "pair")}
          close={() => setOpen(false)}
          queryKey={(find) => keys.lanePairs(route.id, lane, find)}
          page={(find, after) => pairsOf(route.id, { lane, find: find || undefined, after })}
          note={(total) =>
            total !== counted && (
              <p className="mb-2 text-ink-2">
                {count(total, "pair is", "pairs are")} known now. A proof counts those of which it found both items.
              </p>
            )
          }
        />
      )}
    </>
  );
}

/** How many pairs a lane has now. */
export function PairCount({ route, lane }: { route: Route; lane: string }) {
  const first = useQuery({
    queryKey: keys.lanePairs(route.id, lane, "", "first"),
    queryFn: () => pairsOf(route.id, { lane, limit: 1 }),
  });
  if (!first.data) return <>… pairs</>;
  return (
    <LanePairs route={route} lane={lane} counted={first.data.total}>
      {count(first.data.total, "pair")}
    </LanePairs>
  );
}
