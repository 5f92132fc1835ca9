// One change on the spine.
import { otherEnd } from "@/lib/lanes";
import { count, kindWord, type DiscShape } from "@/lib/words";
import { Check, WherePath } from "@/ui/basics";
import { Disc } from "@/ui/disc";
import { writable, type Listed } from "./listed";

export const ROW = 32;

/** The columns of the list: the box, the left, the spine, the right, how many fields. */
export const COLUMNS = "grid grid-cols-[38px_minmax(0,1fr)_128px_minmax(0,1fr)_104px]";

type Props = {
  n: number;
  item: Listed;
  top: number;
  on: boolean;
  locked: boolean;
  select: () => void;
  toggle: () => void;
};

export function ChangeRow({ n, item, top, on, locked, select, toggle }: Props) {
  const shape = (
    !item.included &&
    writable(item) &&
    item.outcome !== "held_right" &&
    item.outcome !== "held_left" &&
    item.conflicts_open === 0 &&
    item.outcome !== "adopt"
      ? "left_out"
      : item.outcome
  ) as DiscShape;
  const state = !item.included
    ? "out"
    : item.fields_written < item.fields && item.outcome !== "new_right" && item.outcome !== "new_left"
      ? "some"
      : "in";
  const side = item.left ?? item.right;
  const title = side?.title ?? "";
  const look = on ? "bg-wash shadow-[inset_3px_0_0_var(--ink)]" : "";
  return (
    <li
      style={{ position: "absolute", top, height: ROW }}
      className={`${COLUMNS} w-full cursor-pointer border-b border-hair-2 ${look}`}
      aria-current={on || undefined}
      onClick={select}
    >
      <div className="flex items-center justify-center">
        <Check
          state={state}
          label={`${side?.key ?? ""} ${title}`}
          disabled={locked || !writable(item)}
          tabIndex={on ? 0 : -1}
          onChange={toggle}
        />
      </div>
      <button
        type="button"
        data-row={n}
        tabIndex={on ? 0 : -1}
        className={`flex min-w-0 items-center gap-2 pr-2.5 text-left ${shape === "left_out" ? "text-ink-3" : ""}`}
      >
        {item.written === "left" ? writtenWords(item) : readWords(item)}
      </button>
      <div className="spine-cell flex items-center justify-center gap-[7px]">
        <span className={`flex gap-[5px] rounded-full px-[3px] ${on ? "bg-wash" : "bg-sheet"}`}>
          <Disc shape={shape} />
          {item.losses > 0 && <Disc shape="loss" label={count(item.losses, "loss", "losses")} />}
        </span>
      </div>
      <div className="flex min-w-0 items-center gap-2 px-2.5">
        {item.written === "left" ? readWords(item) : writtenWords(item)}
      </div>
      <div
        className={`flex items-center justify-end px-2.5 whitespace-nowrap ${item.conflicts_open || item.faults.length || refused(item) ? "text-clash" : "text-ink-2"}`}
      >
        {item.faults.length > 0 || refused(item)
          ? count(item.faults.length + item.refusals.length, "reason")
          : item.conflicts_open > 0
            ? count(item.conflicts_open, "conflict")
            : item.fields_written < item.fields
              ? `${item.fields_written} of ${item.fields}`
              : item.fields}
      </div>
    </li>
  );
}

/** Taken in, and the end that is written would not take it. */
const refused = (i: Listed) => i.included && i.refusals.length > 0;

/** That it is left out, and what for if that is known. */
const leftOut = (i: Listed) =>
  i.lacks.length > 0 ? `left out: needs ${i.lacks.map((l) => l.key || l.title).join(", ")}` : "left out";

/** What stands at the end that is read. */
function readWords(i: Listed): React.ReactNode {
  const side = i[otherEnd(i.written)];
  if (i.kind === "folder")
    return (
      <span className="truncate">
        <b className="font-semibold">{side?.title ?? i[i.written]?.title}</b>{" "}
        <span className="text-ink-3">
          {kindWord.folder?.toLowerCase()} {side?.path ? `in ${side.path}` : "at the top"}
        </span>
      </span>
    );
  const shown = side ?? i[i.written];
  return (
    <>
      <span className="mono shrink-0 text-ink-2">{shown?.key}</span>
      <span className="truncate">{shown?.title}</span>
      <WherePath path={side?.path} />
    </>
  );
}

/** What stands at the end that is written, or becomes of it there. */
function writtenWords(i: Listed): React.ReactNode {
  if (refused(i))
    return (
      <span className="truncate text-clash" title={i.refusals.join("; ")}>
        would be refused: {i.refusals[0]}
      </span>
    );
  const there = i[i.written];
  const side = there && (
    <>
      <span className="mono shrink-0 text-ink-2">{there.key}</span>
      <span className="truncate">{there.title}</span>
      <WherePath path={there.path} />
    </>
  );
  switch (i.outcome) {
    case "new_left":
    case "new_right": {
      const parts = [
        i.kind === "folder" ? "will be created" : "new",
        i.steps ? count(i.steps, "step") : "",
        i.files ? count(i.files, "file") : "",
      ].filter(Boolean);
      return <span className="truncate text-ink-3">{i.included ? parts.join(" · ") : leftOut(i)}</span>;
    }
    case "adopt":
      return i.as_new ? (
        <span className="truncate text-ink-3">will be created next to {there?.key}</span>
      ) : (
        <>
          {side}
          {!i.included && <span className="shrink-0 text-ink-3">to confirm</span>}
        </>
      );
    case "blocked":
      return (
        <span className="truncate text-clash" title={i.faults.join("; ")}>
          {i.faults[0]}
        </span>
      );
    case "gone_right":
    case "gone_left":
    case "out_of_scope_left":
    case "out_of_scope_right":
    case "unreadable": {
      const will = !i.included ? i.absence : i.let_go ? "let go" : i.as_new ? "will be created again" : i.absence;
      return (
        <>
          {i.outcome !== `gone_${i.written}` && side}
          <span className="min-w-0 flex-1 truncate text-ink-3" title={i.absence ?? undefined}>
            {will}
          </span>
        </>
      );
    }
    case "taken_off_left":
    case "taken_off_right":
      return (
        <>
          {side}
          <span className="min-w-0 flex-1 truncate text-ink-3">stays as it is</span>
        </>
      );
    default:
      return side;
  }
}
