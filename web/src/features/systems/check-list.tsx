// The steps of a check, each with what came back and what to do.
import type { Schemas } from "@/api/client";

const look: Record<Schemas["StepState"], [string, string]> = {
  ok: ["bg-ok text-paper", "✓"],
  warning: ["bg-ink-2 text-paper", "!"],
  failed: ["bg-clash text-paper", "×"],
  skipped: ["bg-hair text-ink-2", "–"],
  unknown: ["bg-hair text-ink-2", "?"],
};
const word: Record<Schemas["StepState"], string> = {
  ok: "good",
  warning: "warning",
  failed: "failed",
  skipped: "not tried",
  unknown: "unknown",
};

export function CheckList({ steps }: { steps: Schemas["CheckStepAnswer"][] }) {
  return (
    <ol aria-label="Check" className="space-y-2.5">
      {steps.map((s) => (
        <li key={s.step} className="grid grid-cols-[22px_1fr] gap-2.5">
          <span
            role="img"
            aria-label={word[s.state]}
            className={`mt-px flex size-[20px] items-center justify-center rounded-full text-[12px] font-semibold ${look[s.state][0]}`}
          >
            {look[s.state][1]}
          </span>
          <div className="min-w-0">
            <b className="font-semibold">{s.step}</b> <span className="text-ink-3">{word[s.state]}</span>
            <p className="break-words text-ink-2">{s.found}</p>
            {s.advice && <p>{s.advice}</p>}
          </div>
        </li>
      ))}
    </ol>
  );
}
