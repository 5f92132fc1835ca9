// Differences inside a text, a rich text and steps. A value alone is a difference in which nothing changed.
import type { ReactNode } from "react";
import type { Schemas } from "@/api/client";

type Piece = Schemas["Piece"];
type Line = Schemas["RichLine"];
type RichPiece = Schemas["RichPiece"];
/** `side` hides what the other side alone holds. */
type Side = "before" | "after";

const hidden = (change: Schemas["PieceChange"], side?: Side) =>
  (side === "after" && change === "removed") || (side === "before" && change === "added");

function Change({ change, children }: { change: Schemas["PieceChange"]; children: ReactNode }) {
  if (change === "removed") return <del>{children}</del>;
  return change === "added" ? <ins>{children}</ins> : <>{children}</>;
}

function Pieces({ pieces, side }: { pieces: Piece[]; side?: Side }) {
  return (
    <span className="break-words whitespace-pre-wrap">
      {pieces
        .filter((p) => !hidden(p.change, side))
        .map((p, n) => (
          <Change key={n} change={p.change}>
            {p.text}
          </Change>
        ))}
    </span>
  );
}

/** A word with its formatting. */
function Formatted({ piece }: { piece: RichPiece }) {
  return piece.marks.reduceRight<ReactNode>((inside, mark) => {
    if (typeof mark === "object") {
      return "link" in mark ? (
        <span className="underline decoration-dotted underline-offset-2" title={mark.link}>
          {inside}
        </span>
      ) : (
        <span className="rounded border border-hair px-1" title={mark.image}>
          ▣ {inside}
        </span>
      );
    }
    switch (mark) {
      case "strong":
        return <b className="font-semibold">{inside}</b>;
      case "emphasis":
        return <em>{inside}</em>;
      case "strike":
        return <s>{inside}</s>;
      case "subscript":
        return <sub>{inside}</sub>;
      case "superscript":
        return <sup>{inside}</sup>;
      case "code":
        return <code className="mono">{inside}</code>;
      case "cell":
        return <span className="mx-1.5 border-l border-ink-3" />;
      case "mention":
      case "parameter":
        return <span className="rounded bg-wash px-1">{inside}</span>;
      default:
        return inside;
    }
  }, piece.text);
}

const lineLook: Partial<Record<string, string>> = {
  heading: "font-semibold",
  code: "mono",
  quote: "border-l-2 border-hair pl-2 text-ink-2",
  row: "border-b border-hair-2",
  header_row: "border-b border-hair font-semibold",
};

function lineMark(kind: Schemas["LineKind"]): string {
  if (typeof kind !== "object") return "";
  return kind.item == null ? "•" : `${kind.item}.`;
}

/** Lines of a rich text. */
function Lines({ lines, side }: { lines: Line[]; side?: Side }) {
  return (
    <span className="block break-words">
      {lines
        .filter((l) => !hidden(l.change, side) || l.pieces.some((p) => !hidden(p.change, side)))
        .map((l, n) => (
          <span
            key={n}
            className={`block min-h-[1em] whitespace-pre-wrap ${typeof l.kind === "string" ? (lineLook[l.kind] ?? "") : ""}`}
            style={{ marginLeft: l.depth * 14 }}
          >
            {lineMark(l.kind) && <span className="mr-1.5 -ml-3 text-ink-3">{lineMark(l.kind)}</span>}
            {l.kind === "rule" && <span className="my-1.5 block border-t border-ink-3" />}
            {l.pieces
              .filter((p) => !hidden(p.change, side))
              .map((p, k) => (
                <Change key={k} change={p.change}>
                  <Formatted piece={p} />
                </Change>
              ))}
          </span>
        ))}
    </span>
  );
}

const changed = (lines: Line[]) => lines.some((l) => l.pieces.some((p) => p.change !== "same"));
const shown = (lines: Line[], side?: Side) =>
  lines.some((l) => l.pieces.some((p) => p.text.trim() && !hidden(p.change, side)));

/** Steps in order; one that did not change is quiet, unless nothing did. */
function Steps({ steps, side }: { steps: Schemas["StepDiff"][]; side?: Side }) {
  const parts = (s: Schemas["StepDiff"]): [string, Line[]][] => [
    ["", s.action],
    ["expected", s.expected],
    ["data", s.data],
  ];
  const differs = (s: Schemas["StepDiff"]) =>
    parts(s).some(([, lines]) => changed(lines)) || [...s.call, ...s.files].some((p) => p.change !== "same");
  const any = steps.some(differs);
  return (
    <ol className="space-y-1.5">
      {steps
        .filter((s) => (side === "before" ? s.before != null : side === "after" ? s.after != null : true))
        .map((s, n) => (
          <li key={n} className={`grid grid-cols-[22px_1fr] ${any && !differs(s) ? "text-ink-3" : ""}`}>
            <span className="mono text-ink-3">{(side === "before" ? s.before : (s.after ?? s.before)) ?? ""}</span>
            <span className="min-w-0">
              {s.call.length > 0 && (
                <span className="block">
                  <span className="mr-1.5 text-[11px] text-ink-3">calls</span>
                  <Pieces pieces={s.call} side={side} />
                </span>
              )}
              {parts(s)
                .filter(([, lines]) => shown(lines, side))
                .map(([label, lines]) => (
                  <span key={label} className={`block ${label ? "grid grid-cols-[58px_1fr]" : ""}`}>
                    {label && <span className="text-[11px] leading-[19px] text-ink-3">{label}</span>}
                    <Lines lines={lines} side={side} />
                  </span>
                ))}
              {s.files.some((p) => p.text && !hidden(p.change, side)) && (
                <span className="grid grid-cols-[58px_1fr]">
                  <span className="text-[11px] leading-[19px] text-ink-3">files</span>
                  <Pieces pieces={s.files} side={side} />
                </span>
              )}
            </span>
          </li>
        ))}
    </ol>
  );
}

/** A value or a difference, as what it is. */
export function Shown({ value, side }: { value: Schemas["ValueDiff"]; side?: Side }) {
  switch (value.shape) {
    case "steps":
      return value.steps.length ? <Steps steps={value.steps} side={side} /> : <Nothing />;
    case "rich":
      return shown(value.lines, side) ? <Lines lines={value.lines} side={side} /> : <Nothing />;
    case "text":
      return value.pieces.length ? <Pieces pieces={value.pieces} side={side} /> : <Nothing />;
  }
}

function Nothing() {
  return <span className="text-ink-3">empty</span>;
}

/** Where something stays that is not carried, if it was told by an address. */
export function StaysAt({ after }: { after: string }) {
  if (!/^https?:\/\//.test(after)) return null;
  return (
    <>
      {" "}
      <a className="text-ink-2 underline" href={after} target="_blank" rel="noreferrer">
        where it stays ↗
      </a>
    </>
  );
}
