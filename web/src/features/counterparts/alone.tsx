// How many pairs a lane has, and how many items are at one end alone: counted in a line, listed in a sheet.
import { useState } from "react";
import { api, take, type Schemas } from "@/api/client";
import { keys } from "@/api/keys";
import { ListSheet, Opens } from "@/ui/list-sheet";
import type { Lane, Route } from "../route/draft";
import { ItemLink } from "../route/item-link";
import { PairCount } from "../route/pair-sheet";
import type { MatchList } from "./use-matches";

type End = Schemas["End"];

export function Alone({ route, lane, list }: { route: Route; lane: Lane; list: MatchList }) {
  const [open, setOpen] = useState<End>();
  const words = (end: End) => {
    const n = list.alone[end];
    return `${n.toLocaleString("en")} only at ${route[end].system_name}`;
  };
  return (
    <span className="text-ink-2">
      <PairCount route={route} lane={lane.id} />
      {", "}
      <Opens onClick={() => setOpen("left")}>{words("left")}</Opens>,{" "}
      <Opens onClick={() => setOpen("right")}>{words("right")}</Opens>
      {open && (
        <ListSheet
          title={words(open)}
          open
          onOpenChange={(on) => !on && setOpen(undefined)}
          queryKey={(find) => keys.alone(route.id, lane.id, route.version, open, find)}
          page={(find, after: number | undefined) =>
            take(
              api.GET("/routes/{id}/matches/{lane}/alone", {
                params: { path: { id: route.id, lane: lane.id }, query: { end: open, find: find || undefined, after } },
              }),
            )
          }
          keyOf={(item) => item.id}
          row={(item) => (
            <div className="grid grid-cols-[1fr_auto] gap-3 px-3 py-1">
              <ItemLink end={route[open]} kind={open === "left" ? lane.left_kind : lane.right_kind} item={item} />
              <span className="truncate text-ink-3">{item.path || "in no folder"}</span>
            </div>
          )}
        />
      )}
    </span>
  );
}
