// Which item the rules are tried on, and the ones beside it.
import type { Schemas } from "@/api/client";

type Props = { preview: Schemas["Preview"]; step: (by: number) => void };

export function ItemStepper({ preview, step }: Props) {
  return (
    <span className="flex items-center gap-2 text-ink-2">
      <button
        type="button"
        aria-label="Previous item"
        onClick={() => step(-1)}
        className="rounded border border-hair bg-sheet px-2"
      >
        ‹
      </button>
      Result for <span className="mono">{preview.item?.key}</span> {preview.at + 1} of{" "}
      {preview.total.toLocaleString("en")}
      <button
        type="button"
        aria-label="Next item"
        onClick={() => step(1)}
        className="rounded border border-hair bg-sheet px-2"
      >
        ›
      </button>
    </span>
  );
}
