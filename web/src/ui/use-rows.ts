// The rows of a long list of which one is chosen: only what is in sight is made, and more is asked for as the end comes near.
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useImperativeHandle, useRef, type Ref } from "react";

/** Brings a row into sight, and the keyboard to it if it is in the list. */
export type ListHandle = { show: (n: number) => void };

type Options = {
  ref: Ref<ListHandle>;
  count: number;
  /** How high each row is, in pixels. */
  height: number;
  /** The place of the chosen row; less than 0 if it is not among them. */
  chosen: number;
  more: () => void;
};

export function useRows({ ref, count, height, chosen, more }: Options) {
  const box = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count,
    getScrollElement: () => box.current,
    estimateSize: () => height,
    overscan: 10,
  });
  useImperativeHandle(ref, () => ({
    show: (n) => {
      const inside = box.current?.contains(document.activeElement);
      rows.scrollToIndex(n);
      if (inside) requestAnimationFrame(() => box.current?.querySelector<HTMLElement>(`[data-row="${n}"]`)?.focus());
    },
  }));
  const last = rows.getVirtualItems().at(-1)?.index ?? -1;
  useEffect(() => {
    if (Math.max(last, chosen) >= count - 20) more();
  }, [last, chosen, count, more]);
  return { box, rows };
}
