// What a rule makes of the item that is tried.
import type { Schemas } from "@/api/client";
import { Losses } from "@/ui/losses";
import { Part } from "./part";

/** What the rule makes of one item, and why something of it is lost. */
export function Result({ value, of }: { value: Schemas["PreviewValue"]; of: string }) {
  return (
    <Part title={`Result for ${of}`}>
      <dl className="grid grid-cols-[70px_minmax(0,1fr)] gap-x-2 gap-y-1">
        <dt className="text-ink-3">from</dt>
        <dd className="line-clamp-3 break-words">{value.from || <span className="text-ink-3">empty</span>}</dd>
        <dt className="text-ink-3">becomes</dt>
        <dd className={`line-clamp-3 break-words ${value.fault ? "text-clash" : ""}`}>
          {value.fault ?? (value.becomes || <span className="text-ink-3">empty</span>)}
        </dd>
      </dl>
      <Losses losses={value.losses} />
    </Part>
  );
}
