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
};

function lineMark(kind: Schemas["LineKind"]): string {
  if (typeof kind !== "object") return "";
  return kind.item == null ? "•" : `${kind.item}.`;
}

/** Lines of a rich text. */
function Lines({ lines, side }: { lines: Line[]; side?: Side }) {
  const seen = lines.filter((l) => !hidden(l.change, side) || l.pieces.some((p) => !hidden(p.change, side)));
  return (
    <div className="break-words">
      {groups(seen).map((group, n) =>
        isRow(group[0]) ? <Table key={n} rows={group} side={side} /> : <TextLine key={n} line={group[0]} side={side} />,
      )}
    </div>
  );
}

const isRow = (line: Line) => line.kind === "row" || line.kind === "header_row";

/** Rows that stand together are one table; a row of column names begins another. */
function groups(lines: Line[]): [Line, ...Line[]][] {
  const out: [Line, ...Line[]][] = [];
  for (const line of lines) {
    const last = out.at(-1);
    if (last && isRow(last[0]) && line.kind === "row") last.push(line);
    else out.push([line]);
  }
  return out;
}

function Words({ pieces, side }: { pieces: RichPiece[]; side?: Side }) {
  return pieces
    .filter((p) => !hidden(p.change, side))
    .map((p, k) => (
      <Change key={k} change={p.change}>
        <Formatted piece={p} />
      </Change>
    ));
}

function TextLine({ line, side }: { line: Line; side?: Side }) {
  return (
    <span
      className={`block min-h-[1em] whitespace-pre-wrap ${typeof line.kind === "string" ? (lineLook[line.kind] ?? "") : ""}`}
      style={{ marginLeft: line.depth * 14 }}
    >
      {lineMark(line.kind) && <span className="mr-1.5 -ml-3 text-ink-3">{lineMark(line.kind)}</span>}
      {line.kind === "rule" && <span className="my-1.5 block border-t border-ink-3" />}
      <Words pieces={line.pieces} side={side} />
    </span>
  );
}

/** The cells of a row: what stands between the marks for the next cell. */
function cells(line: Line, side?: Side): RichPiece[][] {
  const out: RichPiece[][] = [[]];
  for (const piece of line.pieces) {
    if (!piece.marks.includes("cell")) out.at(-1)?.push(piece);
    else if (!hidden(piece.change, side)) out.push([]);
  }
  return out;
}

function Table({ rows, side }: { rows: Line[]; side?: Side }) {
  return (
    <table className="my-1 max-w-full border-collapse">
      <tbody>
        {rows.map((row, n) => (
          <tr key={n} className="align-top">
            {cells(row, side).map((cell, k) => {
              const look = "border border-hair px-2 py-0.5 text-left";
              return row.kind === "header_row" ? (
                <th key={k} scope="col" className={`${look} bg-wash font-semibold`}>
                  <Words pieces={cell} side={side} />
                </th>
              ) : (
                <td key={k} className={look}>
                  <Words pieces={cell} side={side} />
                </td>
              );
            })}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const changed = (lines: Line[]) => lines.some((l) => l.pieces.some((p) => p.change !== "same"));
const shown = (lines: Line[], side?: Side) =>
  lines.some((l) => l.pieces.some((p) => p.text.trim() && !hidden(p.change, side)));

/** Steps in order; one that did not change is quiet, unless nothing did. */
function Steps({ steps, side, from = 0 }: { steps: Schemas["StepDiff"][]; side?: Side; from?: number }) {
  const parts = (s: Schemas["StepDiff"]): [string, Line[]][] => [
    ["", s.action],
    ["expected", s.expected],
    ["data", s.data],
  ];
  const differs = (s: Schemas["StepDiff"]) =>
    parts(s).some(([, lines]) => changed(lines)) || [...s.call, ...s.files].some((p) => p.change !== "same");
  const any = steps.some(differs);
  const number = (s: Schemas["StepDiff"]) => {
    const place = side === "before" ? s.before : (s.after ?? s.before);
    return place == null ? "" : place + from;
  };
  return (
    <ol className="space-y-1.5">
      {steps
        .filter((s) => (side === "before" ? s.before != null : side === "after" ? s.after != null : true))
        .map((s, n) => (
          <li key={n} className={`grid grid-cols-[22px_1fr] ${any && !differs(s) ? "text-ink-3" : ""}`}>
            <span className="mono text-ink-3">{number(s)}</span>
            <div className="min-w-0">
              {s.call.length > 0 && (
                <span className="block">
                  <span className="mr-1.5 text-[11px] text-ink-3">calls</span>
                  <Pieces pieces={s.call} side={side} />
                </span>
              )}
              {parts(s)
                .filter(([, lines]) => shown(lines, side))
                .map(([label, lines]) => (
                  <div key={label} className={label ? "grid grid-cols-[58px_1fr]" : ""}>
                    {label && <span className="text-[11px] leading-[19px] text-ink-3">{label}</span>}
                    <Lines lines={lines} side={side} />
                  </div>
                ))}
              {s.files.some((p) => p.text && !hidden(p.change, side)) && (
                <span className="grid grid-cols-[58px_1fr]">
                  <span className="text-[11px] leading-[19px] text-ink-3">files</span>
                  <Pieces pieces={s.files} side={side} />
                </span>
              )}
            </div>
          </li>
        ))}
    </ol>
  );
}

/** A value or a difference, as what it is; of a list of steps that is a part of one, behind so many others. */
export function Shown({ value, side, from }: { value: Schemas["ValueDiff"]; side?: Side; from?: number }) {
  switch (value.shape) {
    case "steps":
      return value.steps.length ? <Steps steps={value.steps} side={side} from={from} /> : <Nothing />;
    case "rich":
      return shown(value.lines, side) ? <Lines lines={value.lines} side={side} /> : <Nothing />;
    case "text":
      return value.pieces.length ? <Pieces pieces={value.pieces} side={side} /> : <Nothing />;
  }
}

function Nothing() {
  return <span className="text-ink-3">empty</span>;
}

/** Where something stays that is not transferred, if it was told by an address. */
export function StaysAt({ after }: { after: string }) {
  if (!/^https?:\/\//.test(after)) return null;
  return (
    <>
      {" "}
      <a className="text-ink-2 underline" href={after} target="_blank" rel="noreferrer">
        original ↗
      </a>
    </>
  );
}
