// Several values, picked from those that were found, with how often each was.
import { Check } from "lucide-react";
import { useState } from "react";
import type { Schemas } from "@/api/client";
import { Pick, PickItem } from "@/ui/pick";

type Props = { met: Schemas["ValueCount"][]; values: string[]; onChange: (values: string[]) => void };

export function ValuesPick({ met, values, onChange }: Props) {
  const [typed, setTyped] = useState("");
  const others = values.filter((v) => !met.some((m) => m.value === v));
  const all = [...others.map((value) => ({ value, count: 0 })), ...met];
  const words = typed.trim();
  const shown = all.filter((m) => m.value.toLowerCase().includes(words.toLowerCase()));
  const toggle = (v: string) => onChange(values.includes(v) ? values.filter((x) => x !== v) : [...values, v]);
  const added = words && !all.some((m) => m.value === words);
  return (
    <Pick
      label="Values"
      shown={values.join(", ")}
      invites="choose values"
      find="Find or add a value"
      typed={typed}
      onType={setTyped}
    >
      {shown.map((m) => (
        <PickItem
          key={m.value}
          id={m.value}
          picked={values.includes(m.value)}
          onPick={() => toggle(m.value)}
          title={m.value}
        >
          <span className="w-4 shrink-0 self-center">
            {values.includes(m.value) && <Check size={14} aria-label="chosen" />}
          </span>
          <span className="min-w-0 flex-1 truncate">{m.value}</span>
          <span className="text-ink-3">{m.count ? m.count.toLocaleString("en") : "not found"}</span>
        </PickItem>
      ))}
      {added && (
        <PickItem
          id={`add ${words}`}
          onPick={() => {
            toggle(words);
            setTyped("");
          }}
        >
          Add “{words}”
        </PickItem>
      )}
    </Pick>
  );
}
