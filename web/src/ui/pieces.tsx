// Differences inside a text and inside steps.
import type { Schemas } from "@/api/client";

type Piece = Schemas["Piece"];

/** A run of pieces; `side` hides what the other side alone holds. */
export function Pieces({ pieces, side }: { pieces: Piece[]; side?: "before" | "after" }) {
  return (
    <span className="whitespace-pre-wrap break-words">
      {pieces.map((p, n) => {
        if (p.change === "removed") return side === "after" ? null : <del key={n}>{p.text}</del>;
        if (p.change === "added") return side === "before" ? null : <ins key={n}>{p.text}</ins>;
        return <span key={n}>{p.text}</span>;
      })}
    </span>
  );
}

const changed = (pieces: Piece[]) => pieces.some((p) => p.change !== "same");

/** Steps side by side; a step that is the same is one quiet line. */
export function StepsDiff({ steps, side }: { steps: Schemas["StepDiff"][]; side: "before" | "after" }) {
  return (
    <ol className="space-y-1">
      {steps.map((s, n) => {
        const here = side === "before" ? s.before : s.after;
        if (here == null)
          return (
            <li key={n} className="text-ink-3">
              no such step
            </li>
          );
        const parts = [
          ["", s.action],
          ["→ ", s.expected],
          ["data ", s.data],
        ] as [string, Piece[]][];
        const same = !parts.some(([, p]) => changed(p));
        return (
          <li key={n} className={`grid grid-cols-[22px_1fr] ${same ? "text-ink-3" : ""}`}>
            <span className="mono text-ink-3">{here}</span>
            <span>
              {parts
                .filter(([, p]) =>
                  p.some((x) => x.text.trim() && !(side === "before" ? x.change === "added" : x.change === "removed")),
                )
                .map(([mark, p], k) => (
                  <span key={k} className="block">
                    <span className="text-ink-3">{mark}</span>
                    <Pieces pieces={p} side={side} />
                  </span>
                ))}
            </span>
          </li>
        );
      })}
    </ol>
  );
}
