// Both edits put together: part by part where they touch each other, or as a text that is typed.
import { RadioGroup } from "radix-ui";
import { useEffect, useRef, useState } from "react";
import type { Schemas } from "@/api/client";
import { useKeys } from "@/app/keys";
import { count } from "@/lib/words";
import { Button } from "@/ui/basics";
import { Shown } from "@/ui/pieces";
import { clashesOf, pickedAll, pickWord, stepsBefore, stepsOf, type Pick } from "./takes";

type Props = {
  proposal: Schemas["ProposalDetail"];
  busy: boolean;
  save: (merge: Schemas["MergeBody"]) => void;
  close: () => void;
};

export function MergeEditor({ proposal, busy, save, close }: Props) {
  const { parts, text } = proposal;
  const [picks, setPicks] = useState<Record<number, Pick>>({});
  const [typed, setTyped] = useState<string>();
  const all = pickedAll(parts, picks);
  const open = clashesOf(parts).filter((n) => !picks[n]).length;
  const before = stepsBefore(parts, picks);
  const ready = !busy && (typed !== undefined || !!all);
  const done = () => {
    if (!ready) return;
    if (typed !== undefined) save({ text: typed });
    else if (all) save({ picks: all });
  };
  useKeys([{ key: "Enter", ctrl: true, does: "Use this merge", run: done }]);
  const box = useRef<HTMLElement>(null);
  useEffect(() => {
    box.current?.scrollIntoView({ block: "nearest" });
    box.current?.querySelector<HTMLElement>('[role="radio"], button')?.focus();
  }, []);
  return (
    <section
      ref={box}
      aria-label="Merge both edits"
      className="my-2 scroll-mb-2 rounded-lg border border-hair bg-sheet p-3"
      // A group of radio buttons keeps Enter for itself.
      onKeyDownCapture={(e) => {
        if (e.key !== "Enter" || !(e.ctrlKey || e.metaKey)) return;
        e.preventDefault();
        e.stopPropagation();
        done();
      }}
    >
      {typed !== undefined ? (
        <textarea
          autoFocus
          aria-label="The merged text"
          className="field min-h-[120px] w-full"
          value={typed}
          onChange={(e) => setTyped(e.target.value)}
        />
      ) : (
        <>
          <p role="status" className="mb-2">
            {open > 0
              ? `${count(open, "part")} changed at both ends: choose what to use.`
              : "Everything is chosen. Both ends get this."}
          </p>
          <ol aria-label="Parts" className="space-y-2">
            {parts.map((part, n) => (
              <li key={n}>
                {part.part === "made" ? (
                  <div className="px-2 text-ink-2">
                    <Shown value={part.value} from={before[n]} />
                  </div>
                ) : (
                  <Clash
                    part={part}
                    pick={picks[n]}
                    choose={(pick) => setPicks({ ...picks, [n]: pick })}
                    n={n}
                    before={before[n] ?? 0}
                  />
                )}
              </li>
            ))}
          </ol>
        </>
      )}
      <div className="mt-3 flex flex-wrap items-center justify-end gap-2">
        {text != null && (
          <Button onClick={() => setTyped(typed === undefined ? text : undefined)}>
            {typed === undefined ? "Type the text instead" : "Choose by part instead"}
          </Button>
        )}
        <Button onClick={close}>Close</Button>
        <Button go disabled={!ready} onClick={done}>
          Use this merge
        </Button>
      </div>
    </section>
  );
}

type ClashProps = {
  part: Extract<Schemas["PartDetail"], { part: "clash" }>;
  pick: Pick | undefined;
  choose: (pick: Pick) => void;
  n: number;
  /** How many steps stand before this part. */
  before: number;
};

function Clash({ part, pick, choose, n, before }: ClashProps) {
  const chosen = (...of: Pick[]) => (pick && !of.includes(pick) ? "opacity-45" : "");
  return (
    <div className="rounded border border-clash">
      <div className="grid grid-cols-2">
        <div className={`min-w-0 border-l-[3px] border-end-left px-3 py-1.5 ${chosen("left", "both")}`}>
          <Shown value={pick === "base" ? part.base : part.left} from={before} />
        </div>
        <div className={`min-w-0 border-r-[3px] border-end-right px-3 py-1.5 ${chosen("right", "both")}`}>
          <Shown
            value={pick === "base" ? part.base : part.right}
            from={before + (pick === "both" ? stepsOf(part.left) : 0)}
          />
        </div>
      </div>
      <RadioGroup.Root
        aria-label={`Part ${n + 1}`}
        value={pick ?? ""}
        onValueChange={(p) => choose(p as Pick)}
        orientation="horizontal"
        className="flex justify-center gap-px border-t border-hair p-1"
      >
        {(Object.keys(pickWord) as Pick[]).map((p) => (
          <RadioGroup.Item
            key={p}
            value={p}
            className="rounded border border-ink-3 px-2 py-px data-[state=checked]:bg-ink data-[state=checked]:text-paper"
          >
            {pickWord[p]}
          </RadioGroup.Item>
        ))}
      </RadioGroup.Root>
    </div>
  );
}
