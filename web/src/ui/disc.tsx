// The disc: which end holds what. Shape first, colour second, always with words.
import { outcomeHelp, outcomeWord, type DiscShape } from "@/lib/words";
import { Pop } from "./pop";

const L = "var(--left)",
  R = "var(--right)",
  G = "var(--ink-3)";
const leftHalf = "M8 2.5a5.5 5.5 0 0 0 0 11z",
  rightHalf = "M8 2.5a5.5 5.5 0 0 1 0 11z",
  rightArc = "M8 2.5a5.5 5.5 0 0 1 0 11",
  leftArc = "M8 2.5a5.5 5.5 0 0 0 0 11";

const shapes: Record<DiscShape, React.ReactNode> = {
  in_step: <circle cx="8" cy="8" r="5.5" fill={G} />,
  new_right: (
    <>
      <path d={leftHalf} fill={L} />
      <path d={rightArc} fill="none" stroke={R} strokeWidth="1.5" strokeDasharray="2 1.8" />
    </>
  ),
  new_left: (
    <>
      <path d={rightHalf} fill={R} />
      <path d={leftArc} fill="none" stroke={L} strokeWidth="1.5" strokeDasharray="2 1.8" />
    </>
  ),
  update_right: (
    <>
      <path d={leftHalf} fill={L} />
      <path d={rightHalf} fill="var(--right-wash)" stroke={R} strokeWidth="1.4" />
    </>
  ),
  update_left: (
    <>
      <path d={rightHalf} fill={R} />
      <path d={leftHalf} fill="var(--left-wash)" stroke={L} strokeWidth="1.4" />
    </>
  ),
  held_right: (
    <>
      <path d={rightHalf} fill={R} />
      <path d={leftHalf} fill="var(--left-wash)" stroke={L} strokeWidth="1.4" />
      <path d="M8 1v14" stroke="var(--ink)" strokeWidth="1.4" />
    </>
  ),
  held_left: (
    <>
      <path d={leftHalf} fill={L} />
      <path d={rightHalf} fill="var(--right-wash)" stroke={R} strokeWidth="1.4" />
      <path d="M8 1v14" stroke="var(--ink)" strokeWidth="1.4" />
    </>
  ),
  adopt: (
    <>
      <path d="M7.4 2.5a5.5 5.5 0 0 0 0 11z" fill={L} />
      <path d="M8.6 2.5a5.5 5.5 0 0 1 0 11z" fill={R} />
    </>
  ),
  conflict: (
    <>
      <path d="M7.2 1.2a5.5 5.5 0 0 0 0 11z" fill={L} />
      <path d="M8.8 3.8a5.5 5.5 0 0 1 0 11z" fill={R} />
    </>
  ),
  blocked: (
    <>
      <circle cx="8" cy="8" r="5" fill="none" stroke="var(--clash)" strokeWidth="1.6" />
      <path d="M5.2 8h5.6" stroke="var(--clash)" strokeWidth="1.8" />
    </>
  ),
  gone_right: (
    <>
      <path d={leftHalf} fill={L} />
      <path d="M10 5l3.5 6M13.5 5L10 11" stroke={G} strokeWidth="1.3" />
    </>
  ),
  gone_left: (
    <>
      <path d={rightHalf} fill={R} />
      <path d="M2.5 5L6 11M6 5l-3.5 6" stroke={G} strokeWidth="1.3" />
    </>
  ),
  out_of_scope_left: (
    <>
      <path d={rightHalf} fill={R} />
      <path d="M6.5 2.5a5.5 5.5 0 0 0 0 11" fill="none" stroke={L} strokeWidth="1.5" strokeDasharray="2 1.8" />
    </>
  ),
  out_of_scope_right: (
    <>
      <path d={leftHalf} fill={L} />
      <path d="M9.5 2.5a5.5 5.5 0 0 1 0 11" fill="none" stroke={R} strokeWidth="1.5" strokeDasharray="2 1.8" />
    </>
  ),
  taken_off_right: (
    <>
      <path d={leftHalf} fill={L} />
      <path d={rightHalf} fill="none" stroke={R} strokeWidth="1.4" />
      <path d="M9.2 8h3" stroke={R} strokeWidth="1.4" />
    </>
  ),
  taken_off_left: (
    <>
      <path d={rightHalf} fill={R} />
      <path d={leftHalf} fill="none" stroke={L} strokeWidth="1.4" />
      <path d="M3.8 8h3" stroke={L} strokeWidth="1.4" />
    </>
  ),
  unreadable: (
    <>
      <circle cx="8" cy="8" r="5" fill="none" stroke={G} strokeWidth="1.4" />
      <circle cx="8" cy="8" r="1.7" fill={G} />
    </>
  ),
  left_out: (
    <>
      <circle cx="8" cy="8" r="5" fill="none" stroke={G} strokeWidth="1.4" />
      <path d="M4.5 11.5l7-7" stroke={G} strokeWidth="1.4" />
    </>
  ),
  loss: (
    <>
      <path d="M8.6 3.1A5.3 5.3 0 1 0 12.7 9.9z" fill="var(--loss)" />
      <path
        d="M10.6 1.9A5.5 5.5 0 0 1 14.4 8.2"
        fill="none"
        stroke="var(--loss)"
        strokeWidth="1.5"
        strokeDasharray="1.5 1.5"
      />
    </>
  ),
};

/** An empty label is for a disc whose meaning stands in words beside it. */
export function Disc({ shape, label, size = 16 }: { shape: DiscShape; label?: string; size?: number }) {
  const told = label === "" ? { "aria-hidden": true } : { role: "img", "aria-label": label ?? outcomeWord[shape] };
  return (
    <svg width={size} height={size} viewBox="0 0 16 16" {...told} className="shrink-0">
      {shapes[shape]}
    </svg>
  );
}

/** Half a disc: the mark of an end. */
export function EndMark({ end }: { end: "left" | "right" }) {
  const d = end === "left" ? "M9 2.5a5.5 5.5 0 0 0 0 11z" : "M7 2.5a5.5 5.5 0 0 1 0 11z";
  return (
    <svg width="16" height="16" viewBox="0 0 16 16" aria-hidden className="shrink-0">
      <path d={d} fill={end === "left" ? L : R} />
    </svg>
  );
}

/** What every disc means; reachable wherever discs are shown. */
export function Legend() {
  return (
    <Pop label="Signs" title="What the signs mean">
      <dl className="grid grid-cols-[20px_120px_1fr] items-start gap-x-2 gap-y-2 w-[460px]">
        {(Object.keys(outcomeWord) as DiscShape[]).map((shape) => (
          <div key={shape} className="contents">
            <dt className="contents">
              <Disc shape={shape} />
              <b className="font-semibold">{outcomeWord[shape]}</b>
            </dt>
            <dd className="text-ink-2">{outcomeHelp[shape]}</dd>
          </div>
        ))}
      </dl>
    </Pop>
  );
}
