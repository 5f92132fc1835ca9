// What a value becomes: from a list that is short enough to unfold, sought in a long one, or written where any text
// goes.
import { useState } from "react";
import { Pick, PickItem, PickNote } from "@/ui/pick";
import { Select, SHOWN, UNFOLDED } from "@/ui/select";
import { WrittenValue } from "./written-value";

type Props = {
  /** What the choice is called for whoever can't see it. */
  label: string;
  /** None if the field takes any text. */
  allowed: string[] | undefined;
  /** None if nothing is chosen. */
  value: string | undefined;
  /** What is said where nothing is chosen. */
  none: string;
  /** What is worth knowing of a value, beside it. */
  note?: (value: string) => string | undefined;
  /** Whether “leave empty” can be chosen. */
  emptied: boolean;
  /** Whether a choice is wanted and missing. */
  open: boolean;
  /** By which the value shows the end that it goes to. */
  edge: string;
  onChange: (value: string | undefined) => void;
};

/** Stands for no choice, among texts that anybody may have written. */
const NONE = "\u0000";

export function ValueChoice(p: Props) {
  const look = p.open ? "border-clash bg-clash-wash text-clash" : `border-hair ${p.edge}`;
  const worded = (value: string) => {
    const note = p.note?.(value);
    return note ? `${value} (${note})` : value;
  };
  const { allowed } = p;
  if (!allowed) return <WrittenValue {...p} look={look} />;
  if (allowed.length > UNFOLDED) return <Sought {...p} allowed={allowed} look={look} worded={worded} />;
  return (
    <Select
      aria-label={p.label}
      aria-invalid={p.open}
      value={p.value ?? NONE}
      onChange={(chosen) => p.onChange(chosen === NONE ? undefined : chosen)}
      className={`w-full min-w-0 rounded-[5px] border px-1.5 py-[3px] ${look}`}
    >
      <option value={NONE}>{p.none}</option>
      {p.value && !allowed.includes(p.value) && <option value={p.value}>{p.value} (not allowed)</option>}
      {allowed.map((a) => (
        <option key={a} value={a}>
          {worded(a)}
        </option>
      ))}
      {p.emptied && <option value="">leave empty</option>}
    </Select>
  );
}

function Sought(p: Props & { allowed: string[]; look: string; worded: (value: string) => string }) {
  const [open, setOpen] = useState(false);
  // Dozens of rows have one: what opens is made when somebody asks for it.
  const [asked, setAsked] = useState(false);
  const [typed, setTyped] = useState("");
  const wanted = typed.trim().toLowerCase();
  const found = open ? p.allowed.filter((a) => a.toLowerCase().includes(wanted)) : [];
  const choose = (value: string | undefined) => {
    p.onChange(value);
    setOpen(false);
    setTyped("");
  };
  const row = (key: string, words: string, value: string | undefined) => (
    <PickItem key={key} id={key} picked={value === p.value} title={words} onPick={() => choose(value)}>
      <span className="truncate">{words}</span>
    </PickItem>
  );
  const shown = p.value === "" ? "leave empty" : p.value;
  const look = `min-w-0 w-full truncate rounded-[5px] border px-1.5 py-[3px] text-left ${p.look}`;
  if (!asked)
    return (
      <button
        type="button"
        aria-label={p.label}
        aria-haspopup="dialog"
        aria-expanded={false}
        title={shown}
        className={look}
        onClick={() => {
          setAsked(true);
          setOpen(true);
        }}
      >
        {shown ?? <span className="text-ink-3">{p.none}</span>}
      </button>
    );
  return (
    <Pick
      label={p.label}
      shown={shown}
      invites={p.none}
      look={look}
      find="Find a value"
      typed={typed}
      onType={setTyped}
      open={open}
      onOpenChange={setOpen}
    >
      {!wanted && row("none", p.none, undefined)}
      {!wanted && p.emptied && row("empty", "leave empty", "")}
      {found.slice(0, SHOWN).map((a) => row(`v ${a}`, p.worded(a), a))}
      {found.length > SHOWN && (
        <PickNote>and {(found.length - SHOWN).toLocaleString("en")} more; type to find</PickNote>
      )}
      {found.length === 0 && <PickNote>No such value is allowed there.</PickNote>}
    </Pick>
  );
}
