// Why something of a value is lost.
import type { Schemas } from "@/api/client";
import { lossWord } from "@/lib/words";
import { Disc } from "./disc";

export function Losses({ losses }: { losses: Schemas["LossDetail"][] }) {
  if (losses.length === 0) return null;
  return (
    <ul aria-label="Losses" className="mt-2 space-y-1">
      {losses.map((l, n) => (
        <li key={n} className="grid grid-cols-[20px_minmax(0,1fr)] break-words text-loss">
          <Disc shape="loss" label={lossWord[l.kind]} />
          <span>
            {l.why}
            {l.before && <span className="line-clamp-2 text-ink-2">original: {l.before}</span>}
          </span>
        </li>
      ))}
    </ul>
  );
}
