// Several values, picked from those that were met, with how often each was.
import { useState } from "react";
import type { Schemas } from "@/api/client";
import { Pick } from "@/ui/pick";

type Props = { met: Schemas["ValueCount"][]; values: string[]; onChange: (values: string[]) => void };

export function ValuesPick({ met, values, onChange }: Props) {
  const [typed, setTyped] = useState("");
  const others = values.filter((v) => !met.some((m) => m.value === v));
  const all = [...others.map((value) => ({ value, count: 0 })), ...met];
  const shown = all.filter((m) => m.value.toLowerCase().includes(typed.toLowerCase()));
  const toggle = (v: string) => onChange(values.includes(v) ? values.filter((x) => x !== v) : [...values, v]);
  const add = () => {
    if (typed.trim() && !values.includes(typed.trim())) onChange([...values, typed.trim()]);
    setTyped("");
  };
  return (
    <Pick
      label="Values"
      shown={values.join(", ")}
      invites="choose values"
      find="Find or add a value"
      asks="Find, or type and press Enter"
      typed={typed}
      onType={setTyped}
      onEnter={add}
    >
      {shown.map((m) => (
        <li key={m.value}>
          <label className="flex cursor-pointer items-center gap-2 rounded px-1.5 py-1 hover:bg-wash">
            <input type="checkbox" checked={values.includes(m.value)} onChange={() => toggle(m.value)} />
            <span className="min-w-0 flex-1 truncate" title={m.value}>
              {m.value}
            </span>
            <span className="text-ink-3">{m.count ? m.count.toLocaleString("en") : "not found"}</span>
          </label>
        </li>
      ))}
      {shown.length === 0 && <li className="px-1.5 py-1 text-ink-3">No such value was found. Enter adds it.</li>}
    </Pick>
  );
}
