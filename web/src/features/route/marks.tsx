// A route's ends and stops as they are drawn, on its own pages and, smaller, in lists of routes.
import type { Schemas } from "@/api/client";
import { Disc, EndMark } from "@/ui/disc";
import { signWord, type Stop } from "./stops";

type EndProps = { side: "left" | "right"; end: Schemas["RouteEnd"]; small?: boolean };

export function RouteEnd({ side, end, small }: EndProps) {
  return (
    <div className={`min-w-0 ${side === "right" ? "text-right" : ""}`}>
      <div
        className={`flex items-center gap-[7px] ${small ? "font-medium" : "text-[14px] font-semibold"} ${side === "right" ? "flex-row-reverse" : ""}`}
      >
        <EndMark end={side} />
        <span className="truncate">{end.system_name}</span>
      </div>
      <div className="truncate text-ink-2" title={end.container_name}>
        {end.container_name}
      </div>
    </div>
  );
}

/** A stop: full when it is done, ringed where one is, and with the sign of what is wrong or waits there. */
export function StopMark({ stop, here = false, small = false }: { stop: Stop; here?: boolean; small?: boolean }) {
  const size = small ? "mt-px mb-1 size-[10px]" : here ? "mt-0 mb-1 size-[18px]" : "mt-[3px] mb-[7px] size-[12px]";
  const look = stop.done
    ? "bg-end-left shadow-[0_0_0_1.5px_var(--left)]"
    : here
      ? "bg-sheet shadow-[0_0_0_2px_var(--left)]"
      : "bg-sheet shadow-[0_0_0_1.5px_var(--ink-3)]";
  return (
    <>
      <span className="relative block">
        <i aria-hidden className={`mx-auto block rounded-full border-2 border-sheet ${size} ${look}`} />
        {stop.sign && (
          <span className="absolute top-[-2px] left-[calc(50%+8px)] rounded-full bg-sheet">
            <Disc shape={stop.sign === "wrong" ? "blocked" : "conflict"} label="" size={14} />
          </span>
        )}
      </span>
      <span className={`block truncate group-hover:underline ${here ? "font-semibold text-ink" : "text-ink-2"}`}>
        {stop.name}
      </span>
      <small
        className={`${small ? "line-clamp-2" : "block truncate"} text-[11px] ${stop.sign === "wrong" ? "text-clash" : "text-ink-3"}`}
        title={stop.figure}
      >
        {stop.figure}
      </small>
      {stop.sign && <span className="sr-only">{signWord[stop.sign]}</span>}
    </>
  );
}
