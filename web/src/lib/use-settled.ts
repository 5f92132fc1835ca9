// A value once it has not changed for a moment: what is typed is asked about when the hand rests.
import { useEffect, useState } from "react";

export function useSettled<T>(value: T, milliseconds = 180): T {
  const [settled, setSettled] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(value), milliseconds);
    return () => clearTimeout(timer);
  }, [value, milliseconds]);
  return settled;
}
