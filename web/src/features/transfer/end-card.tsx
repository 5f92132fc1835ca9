// One end of a transfer: what was read or written there, and what its system said to it.
import { clock, percent } from "@/lib/format";
import { EndMark } from "@/ui/disc";

type Meter = {
  calls: number;
  retries: number;
  refused_for_rate: number;
  waited_ms: number;
  waiting_until?: string | null;
};
export type EndProgress = { name: string; meter: Meter; limit_per_minute?: number | null };
export function EndCard({
  end,
  name,
  data,
  rows,
  note,
  elapsed,
  running,
  written,
}: {
  end: "left" | "right";
  /** Whether a lane writes it. */
  written: boolean;
  name: string;
  data?: EndProgress;
  rows: [string, string][];
  /** What explains a row. */
  note?: string;
  elapsed?: number;
  running: boolean;
}) {
  const m = data?.meter;
  const all: [string, string][] = [
    ...rows,
    ["Calls", (m?.calls ?? 0).toLocaleString("en")],
    ["Retries", (m?.retries ?? 0).toLocaleString("en")],
    ["Rate-limit waits", (m?.refused_for_rate ?? 0).toLocaleString("en")],
  ];
  if (data?.limit_per_minute && elapsed && m)
    all.push([
      "Rate limit used",
      `${percent(Math.min(m.calls, (data.limit_per_minute * elapsed) / 60), (data.limit_per_minute * elapsed) / 60)} of ${data.limit_per_minute} a minute`,
    ]);
  return (
    <section
      aria-label={`${end} end`}
      className={`rounded-lg border border-hair bg-sheet p-4 ${end === "left" ? "border-l-[3px] border-l-end-left" : "border-r-[3px] border-r-end-right"}`}
    >
      <h3 className="mb-2 flex items-center gap-2 font-semibold">
        <EndMark end={end} />
        {name} <span className="font-normal text-ink-3">{written ? "is written" : "is read"}</span>
      </h3>
      <dl className="grid grid-cols-[1fr_auto] gap-y-1">
        {all.map(([k, v]) => (
          <div key={k} className="contents">
            <dt className="text-ink-2">{k}</dt>
            <dd className="text-right font-medium">{v}</dd>
          </div>
        ))}
      </dl>
      {note && <p className="mt-1 text-[11px] text-ink-3">{note}</p>}
      {running && m?.waiting_until && (
        <p role="status" className="mt-2 rounded bg-wash px-2 py-1 text-ink-2">
          Waiting for {name} to accept more calls, until {clock(m.waiting_until)}
        </p>
      )}
    </section>
  );
}
