// The frame of a route: the line from the left end to the right end with its six stops.
import { useQuery } from "@tanstack/react-query";
import { NavLink, Outlet, useBlocker, useParams } from "react-router";
import { api, take } from "@/api/client";
import { over, useJob } from "@/api/jobs";
import { useKeys } from "@/app/keys";
import { Button, Loading, Trouble } from "@/ui/basics";
import { EndMark } from "@/ui/disc";
import { DraftProvider, useDraft, type Route } from "./draft";
import { stops } from "./stops";

export default function RouteFrame() {
  const { id = "" } = useParams();
  const route = useQuery({
    queryKey: ["route", id],
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
  const { dirty, undo, redo } = useDraft();
  const blocker = useBlocker(({ nextLocation }) => dirty && !nextLocation.pathname.startsWith(`/routes/${route.id}/`));
  useKeys([
    { key: "z", ctrl: true, does: "Undo a change of scope or rules", run: undo },
    { key: "z", ctrl: true, shift: true, does: "Redo it", run: redo },
    { key: "y", ctrl: true, does: "Redo it", run: redo },
  ]);
  const list = stops(route, dirty);
  const reached = list.findLastIndex((s) => s.done);
  const share = reached < 0 ? 0 : (100 * reached) / (list.length - 1);
  return (
    <>
      <div className="grid h-[74px] shrink-0 grid-cols-[minmax(190px,250px)_1fr_minmax(190px,250px)] items-center border-b border-hair bg-sheet px-5">
        <div className="min-w-0">
          <h1 className="sr-only">{route.name}</h1>
          <div className="flex items-center gap-[7px] text-[14px] font-semibold">
            <EndMark end="left" />
            <span className="truncate">{route.left.system_name}</span>
          </div>
          <div className="truncate text-ink-2">{route.left.container_name}</div>
        </div>
        <nav aria-label="Stops" className="relative mx-5">
          <span aria-hidden className="absolute top-[8px] right-[46px] left-[46px] h-[2px] bg-hair">
            <i className="block h-full bg-end-left" style={{ width: `${share}%` }} />
          </span>
          <ol className="relative flex justify-between">
            {list.map((s) => (
              <li key={s.to}>
                <NavLink to={s.to} className="group block w-[92px] text-center text-[12px]">
                  {({ isActive }) => (
                    <>
                      <i
                        aria-hidden
                        className={`mx-auto block rounded-full border-2 border-sheet ${isActive ? "mt-0 mb-1 size-[18px]" : "mt-[3px] mb-[7px] size-[12px]"} ${s.done ? "bg-end-left shadow-[0_0_0_1.5px_var(--left)]" : isActive ? "bg-sheet shadow-[0_0_0_2px_var(--left)]" : "bg-sheet shadow-[0_0_0_1.5px_var(--ink-3)]"}`}
                      />
                      <span className={`group-hover:underline ${isActive ? "font-semibold text-ink" : "text-ink-2"}`}>
                        {s.name}
                      </span>
                      <small className="block truncate text-[11px] text-ink-3" title={s.figure}>
                        {s.figure}
                      </small>
                    </>
                  )}
                </NavLink>
              </li>
            ))}
          </ol>
        </nav>
        <div className="min-w-0 text-right">
          <div className="flex items-center justify-end gap-[7px] text-[14px] font-semibold">
            <span className="truncate">{route.right.system_name}</span>
            <EndMark end="right" />
          </div>
          <div className="truncate text-ink-2">{route.right.container_name}</div>
        </div>
      </div>
      {blocker.state === "blocked" && (
        <div
          role="alertdialog"
          aria-label="Unsaved changes"
          className="flex items-center gap-3 border-b border-hair bg-wash px-5 py-2"
        >
          Scope and rules have changes that are not saved.
          <Button onClick={() => blocker.reset()}>Stay</Button>
          <Button danger onClick={() => blocker.proceed()}>
            Leave and lose them
          </Button>
        </div>
      )}
    </>
  );
}
