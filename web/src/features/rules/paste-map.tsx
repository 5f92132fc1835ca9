// Pasting a value map from a spreadsheet: every line is marked before any is taken.
import { useEffect, useMemo, useRef, useState } from "react";
import { count } from "@/lib/words";
import { Button } from "@/ui/basics";
import { Scroll } from "@/ui/scroll";
import { leftOver, readPasted, withPasted } from "./paste";
import type { ValueMap } from "./rule-words";

type Props = { map: ValueMap; met: string[]; allowed: string[]; onChange: (m: ValueMap) => void };

/** Lines that are listed; all of them are counted. */
const MARKED = 200;

export function PasteMap({ map, met, allowed, onChange }: Props) {
  const [text, setText] = useState("");
  const lines = useMemo(() => readPasted(text, { met, allowed }), [text, met, allowed]);
  const marked = lines.filter((l) => l.fault ?? l.note);
  const good = lines.filter((l) => !l.fault).length;
  // It stands last in its panel: what it says of the lines must not stay below the edge.
  const whole = useRef<HTMLDetailsElement>(null);
  const show = () => whole.current?.open && whole.current.scrollIntoView({ block: "nearest" });
  useEffect(() => void show(), [lines]);
  return (
    <details ref={whole} onToggle={show} className="border-t border-hair-2 px-4 py-3">
      <summary className="font-semibold">Paste from a spreadsheet</summary>
      <label className="mt-1.5 block">
        <span className="text-ink-2">Two columns: the value at the left, and what it becomes</span>
        <textarea
          className="field mono mt-1 h-[96px] w-full"
          value={text}
          spellCheck={false}
          onChange={(e) => setText(e.target.value)}
        />
      </label>
      {marked.length > 0 && (
        <Scroll as="ul" className="mt-1.5 max-h-[140px]" aria-label="Marked lines">
          {marked.slice(0, MARKED).map((l) => (
            <li key={l.line} className={l.fault ? "text-clash" : "text-ink-2"}>
              Line {l.line}: {l.fault ?? l.note}
            </li>
          ))}
          {marked.length > MARKED && (
            <li className="text-ink-3">and {(marked.length - MARKED).toLocaleString("en")} more</li>
          )}
        </Scroll>
      )}
      <Button
        className="mt-2"
        disabled={good === 0}
        onClick={() => {
          onChange(withPasted(map, lines));
          setText(leftOver(lines));
        }}
      >
        {good ? `Add ${count(good, "line")}` : "Add the lines"}
      </Button>
    </details>
  );
}
