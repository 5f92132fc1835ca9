// The lanes of a route while they are being changed: unsaved until saved as a version, with undo.
import { useQueryClient } from "@tanstack/react-query";
import { createContext, useContext, useState, type ReactNode } from "react";
import { toast } from "sonner";
import { api, take, type Schemas } from "@/api/client";
import { refresh } from "@/api/keys";

export type Route = Schemas["RouteAnswer"];
export type Lane = Schemas["Lane"];

type Draft = {
  route: Route;
  lanes: Lane[];
  dirty: boolean;
  change: (lanes: Lane[]) => void;
  changeLane: (id: string, change: (lane: Lane) => Lane) => void;
  /** Takes the last change back; nothing where there is none. */
  undo: () => void;
  redo: () => void;
  save: () => Promise<boolean>;
  /** Saves where links to items of other routes lead; the lanes stay as they were last saved. */
  saveFollows: (follows: string[]) => Promise<boolean>;
  error: unknown;
};

const DraftContext = createContext<Draft | null>(null);

export function DraftProvider({ route, children }: { route: Route; children: ReactNode }) {
  const queries = useQueryClient();
  const [past, setPast] = useState<Lane[][]>([]);
  const [undone, setUndone] = useState<Lane[][]>([]);
  const [now, setNow] = useState<Lane[] | null>(null);
  const [error, setError] = useState<unknown>();
  const lanes = now ?? route.lanes;
  const change = (next: Lane[]) => {
    setPast([...past, lanes].slice(-50));
    setUndone([]);
    setNow(next);
  };
  const put = async (body: Schemas["SaveBody"]) => {
    setError(undefined);
    try {
      const saved = await take(
        api.PUT("/routes/{id}", {
          params: { path: { id: route.id } },
          body,
          headers: { "if-match": `"${route.version}"` },
        }),
      );
      void refresh.saved(queries, saved);
      toast(`Saved as version ${saved.version}`);
      return true;
    } catch (caught) {
      setError(caught);
      return false;
    }
  };
  const save = async () => {
    const saved = await put({ name: route.name, lanes });
    if (saved) {
      setNow(null);
      setPast([]);
      setUndone([]);
    }
    return saved;
  };
  const draft: Draft = {
    route,
    lanes,
    error,
    save,
    saveFollows: (follows) => put({ name: route.name, lanes: route.lanes, follows }),
    change,
    dirty: now !== null && JSON.stringify(now) !== JSON.stringify(route.lanes),
    changeLane: (id, f) => change(lanes.map((l) => (l.id === id ? f(l) : l))),
    undo: () => {
      const before = past.at(-1);
      if (!before) return;
      setUndone([...undone, lanes]);
      setNow(before);
      setPast(past.slice(0, -1));
    },
    redo: () => {
      const next = undone.at(-1);
      if (!next) return;
      setPast([...past, lanes]);
      setNow(next);
      setUndone(undone.slice(0, -1));
    },
  };
  return <DraftContext.Provider value={draft}>{children}</DraftContext.Provider>;
}

export function useDraft(): Draft {
  const draft = useContext(DraftContext);
  if (!draft) throw new Error("a route's page is shown outside a route");
  return draft;
}
