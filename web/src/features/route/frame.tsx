// The frame of a route: its name, and the line from the left end to the right end with its stops.
import { useQuery } from "@tanstack/react-query";
import { NavLink, Outlet, useBlocker, useLocation, useParams } from "react-router";
import { api, take } from "@/api/client";
import { keys } from "@/api/keys";
import { over, useJob } from "@/api/jobs";
import { useKeys } from "@/app/keys";
import { Button, Loading, Trouble } from "@/ui/basics";
import { useTitle } from "@/lib/use-title";
import { Ask } from "@/ui/dialog";
import { DraftProvider, useDraft, type Route } from "./draft";
import { Rename } from "./rename";
import { RouteEnd, StopMark } from "./marks";
import { stops } from "./stops";

export default function RouteFrame() {
  const { id = "" } = useParams();
  const route = useQuery({
    queryKey: keys.route(id),
    queryFn: () => take(api.GET("/routes/{id}", { params: { path: { id } } })),
  });
  const running = [route.data?.transfer, route.data?.dry_run].find((j) => j && !over(j));
  useJob(running?.id, () => void route.refetch());
  if (route.isPending) return <Loading what="the route" />;
  if (route.error)
    return (
      <div className="p-8">
        <Trouble error={route.error} />
      </div>
    );
  return (
    <DraftProvider key={id} route={route.data}>
      <Line route={route.data} />
      <Outlet />
    </DraftProvider>
  );
}

function Line({ route }: { route: Route }) {
  const { dirty, undo, redo, save } = useDraft();
  const blocker = useBlocker(({ nextLocation }) => dirty && !nextLocation.pathname.startsWith(`/routes/${route.id}/`));
  useKeys([
    { key: "z", ctrl: true, does: "Undo a change of scope or rules", run: undo },
    { key: "z", ctrl: true, shift: true, does: "Redo", run: redo },
    { key: "y", ctrl: true, does: "Redo", run: redo },
  ]);
  const list = stops(route);
  const here = useLocation().pathname.split("/")[3];
  useTitle(here === "versions" ? "Versions" : list.find((s) => s.to === here)?.name, route.name);
  const reached = list.findLastIndex((s) => s.done);
  const share = reached < 0 ? 0 : (100 * reached) / (list.length - 1);
  return (
    <>
      <div className="sticky top-0 z-20 shrink-0 border-b border-hair bg-sheet px-5 [@media(max-height:520px)]:static">
        <div className="flex min-w-0 items-center gap-3 pt-1.5">
          <h1 className="min-w-0 truncate text-[14px] font-semibold" title={route.name}>
            {route.name}
          </h1>
          <Rename route={route} />
          <NavLink
            to="versions"
            className={({ isActive }) => `shrink-0 hover:underline ${isActive ? "font-semibold" : "text-ink-2"}`}
          >
            Version {route.version}
          </NavLink>
          {dirty && <span className="shrink-0 font-medium text-loss">Changes not saved</span>}
        </div>
        <div className="grid grid-cols-[minmax(120px,220px)_minmax(0,1fr)_minmax(120px,220px)] items-center pt-0.5 pb-1.5 max-[1000px]:grid-cols-2">
          <RouteEnd side="left" end={route.left} />
          <nav
            aria-label="Stops"
            className="relative mx-2 max-[1000px]:order-last max-[1000px]:col-span-2 max-[1000px]:mt-1"
          >
            <span aria-hidden className="absolute top-[8px] right-[7%] left-[7%] h-[2px] bg-hair">
              <i className="block h-full bg-end-left" style={{ width: `${share}%` }} />
            </span>
            <ol className="relative grid auto-cols-fr grid-flow-col">
              {list.map((s) => (
                <li key={s.to} className="min-w-0">
                  <NavLink to={s.to} className="group block text-center text-[12px]">
                    {({ isActive }) => <StopMark stop={s} here={isActive} />}
                  </NavLink>
                </li>
              ))}
            </ol>
          </nav>
          <RouteEnd side="right" end={route.right} />
        </div>
      </div>
      <Ask
        title="Leave with unsaved changes?"
        open={blocker.state === "blocked"}
        onOpenChange={(open) => !open && blocker.reset?.()}
        keep="Stay"
        others={
          <Button go onClick={() => void save().then((saved) => (saved ? blocker.proceed?.() : blocker.reset?.()))}>
            Save and leave
          </Button>
        }
        does="Discard changes"
        onDo={() => blocker.proceed?.()}
      >
        Scope and rules of {route.name} have changes that are not saved. Discarded changes can't be restored.
      </Ask>
    </>
  );
}
