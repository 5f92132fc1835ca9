// A box to find by words: what is typed is asked for once the hand rests.
import { useEffect, useRef, useState } from "react";
import { RESTS_MS } from "@/lib/use-settled";

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
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  useEffect(() => () => clearTimeout(timer.current), []);
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
        clearTimeout(timer.current);
        timer.current = setTimeout(() => onFind(words), RESTS_MS);
      }}
    />
  );
}
