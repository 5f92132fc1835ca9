// A value once it has not changed for a moment: what is typed is asked about when the hand rests.
import { useEffect, useState } from "react";

/** How long a hand rests before what it typed is asked for, in milliseconds. */
export const RESTS_MS = 180;

export function useSettled<T>(value: T, milliseconds = RESTS_MS): T {
  const [settled, setSettled] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(value), milliseconds);
    return () => clearTimeout(timer);
  }, [value, milliseconds]);
  return settled;
}
