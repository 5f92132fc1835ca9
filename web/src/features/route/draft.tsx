// The lanes of a route while they are being changed: unsaved until saved as a version, with undo.
import { useQueryClient } from "@tanstack/react-query";
import { createContext, useContext, useReducer, useState, type ReactNode } from "react";
import { toast } from "sonner";
import { api, take, type Schemas } from "@/api/client";
import { refresh } from "@/api/keys";
import { edited, unedited } from "./edits";

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
  const [edits, edit] = useReducer(edited<Lane[]>, unedited);
  const [error, setError] = useState<unknown>();
  const lanes = edits.now ?? route.lanes;
  // A change may be asked for long after this was shown, by an answer that took its time: it begins from what is there then.
  const change = (to: (lanes: Lane[]) => Lane[]) => edit({ does: "change", saved: route.lanes, to });
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
    if (saved) edit({ does: "saved" });
    return saved;
  };
  const draft: Draft = {
    route,
    lanes,
    error,
    save,
    saveFollows: (follows) => put({ name: route.name, lanes: route.lanes, follows }),
    change: (next) => change(() => next),
    dirty: edits.now !== null && JSON.stringify(edits.now) !== JSON.stringify(route.lanes),
    changeLane: (id, f) => change((now) => now.map((l) => (l.id === id ? f(l) : l))),
    undo: () => edit({ does: "undo" }),
    redo: () => edit({ does: "redo" }),
  };
  return <DraftContext.Provider value={draft}>{children}</DraftContext.Provider>;
}

export function useDraft(): Draft {
  const draft = useContext(DraftContext);
  if (!draft) throw new Error("a route's page is shown outside a route");
  return draft;
}
