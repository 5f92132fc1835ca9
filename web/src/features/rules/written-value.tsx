// What a value becomes where the field takes any text: written, and taken when the hand leaves it.
import { useState } from "react";
import { Tip } from "@/ui/tip";

type Props = {
  label: string;
  /** None if nothing is written; an empty text leaves the field empty. */
  value: string | undefined;
  /** What is said where nothing is written. */
  none: string;
  /** Whether “leave empty” can be chosen. */
  emptied: boolean;
  open: boolean;
  look: string;
  onChange: (value: string | undefined) => void;
};

export function WrittenValue({ label, value, none, emptied, open, look, onChange }: Props) {
  const [typed, setTyped] = useState<string>();
  const take = () => {
    if (typed !== undefined && typed.trim() !== (value ?? "")) onChange(typed.trim() || undefined);
    setTyped(undefined);
  };
  return (
    <span className="flex min-w-0 gap-1">
      <input
        aria-label={label}
        aria-invalid={open}
        placeholder={value === "" ? "left empty" : none}
        value={typed ?? value ?? ""}
        onChange={(e) => setTyped(e.target.value)}
        onBlur={take}
        onKeyDown={(e) => e.key === "Enter" && take()}
        className={`w-full min-w-0 rounded-[5px] border px-1.5 py-[3px] ${look}`}
      />
      {emptied && (
        <Tip says="Leave the field empty">
          <button
            type="button"
            aria-label={`${label} nothing`}
            aria-pressed={value === ""}
            className="rounded-[5px] border border-hair px-1.5 text-ink-2 aria-pressed:bg-wash aria-pressed:text-ink"
            onClick={() => onChange(value === "" ? undefined : "")}
          >
            ∅
          </button>
        </Tip>
      )}
    </span>
  );
}
