// A list of any length, of which only what is in sight is made. More of it is asked for as its end comes near.
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef, type ReactNode } from "react";

type Props<T> = {
  label: string;
  items: T[];
  row: (item: T, n: number) => ReactNode;
  keyOf: (item: T, n: number) => string;
  /** How high a row is before it was measured, in pixels. */
  height?: number;
  className?: string;
  /** Called when the end is near and there is more. */
  more?: () => void;
};

export function VirtualList<T>({ label, items, row, keyOf, height = 30, className = "", more }: Props<T>) {
  const box = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: items.length,
    getScrollElement: () => box.current,
    estimateSize: () => height,
    getItemKey: (n) => keyOf(items[n] as T, n),
    overscan: 8,
  });
  const seen = rows.getVirtualItems();
  const last = seen.at(-1)?.index ?? -1;
  useEffect(() => {
    if (last >= items.length - 20) more?.();
  }, [last, items.length, more]);
  return (
    <div ref={box} tabIndex={0} className={`overflow-auto ${className}`}>
      <ul aria-label={label} className="relative" style={{ height: rows.getTotalSize() }}>
        {seen.map((v) => (
          <li
            key={v.key}
            ref={rows.measureElement}
            data-index={v.index}
            aria-setsize={items.length}
            aria-posinset={v.index + 1}
            className="absolute top-0 right-0 left-0 border-b border-hair-2"
            style={{ transform: `translateY(${v.start}px)` }}
          >
            {row(items[v.index] as T, v.index)}
          </li>
        ))}
      </ul>
    </div>
  );
}
