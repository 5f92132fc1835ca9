// A box to find by words: what is typed is asked for once the hand rests.
import { useState } from "react";
import { useDebouncedCallback } from "use-debounce";
import { RESTS_MS } from "@/lib/rests";

type Props = {
  label: string;
  placeholder: string;
  className: string;
  /** What is asked for now. */
  value: string;
  onFind: (words: string) => void;
};

export function FindBox({ label, placeholder, className, value, onFind }: Props) {
  // What is typed and not asked for yet; none while both are the same.
  const [typed, setTyped] = useState<string>();
  const ask = useDebouncedCallback(onFind, RESTS_MS);
  if (typed !== undefined && typed === value) setTyped(undefined);
  return (
    <input
      aria-label={label}
      placeholder={placeholder}
      className={`field ${className}`}
      value={typed ?? value}
      onChange={(e) => {
        const words = e.target.value;
        setTyped(words);
        ask(words);
      }}
    />
  );
}
