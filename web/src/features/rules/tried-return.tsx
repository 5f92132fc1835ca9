// What an edit at the right makes of the item that is tried: one that is made up, or what somebody types.
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useDebounce } from "use-debounce";
import { api, take } from "@/api/client";
import { keys } from "@/api/keys";
import { RESTS_MS } from "@/lib/rests";
import { Trouble } from "@/ui/basics";
import { Shown } from "@/ui/pieces";
import { Losses } from "@/ui/losses";
import { ruleInto } from "./fills";
import type { RuleProps } from "./rule-props";

export function TriedReturn({ route, lane, target, from: left, to: right, at, of }: RuleProps) {
  const [typed, setTyped] = useState("");
  const [rested] = useDebounce({ lane, typed }, RESTS_MS);
  const rule = ruleInto(rested.lane, target)?.id;
  const body = { lane: rested.lane, at, rule: rule ?? "", typed: rested.typed.trim() || undefined };
  const tried = useQuery({
    queryKey: keys.preview(route.id, "return", body),
    queryFn: ({ signal }) =>
      take(api.POST("/routes/{id}/preview/return", { params: { path: { id: route.id } }, body, signal })),
    enabled: rule !== undefined && of !== undefined,
    placeholderData: keepPreviousData,
  });
  if (tried.error) return <Trouble error={tried.error} />;
  if (!tried.data || !of) return null;
  const { edit, comes_back, why_not, can_be_typed, losses } = tried.data;
  return (
    <section aria-label={`An edit of ${of} at ${right.name}`} className="mt-3 border-t border-hair-2 pt-2">
      {can_be_typed && (
        <label className="mb-2 grid grid-cols-[92px_1fr] items-center">
          <span className="text-ink-2">Try an edit</span>
          <input
            className="field w-full"
            aria-label={`Value of ${of} at ${right.name}`}
            placeholder={tried.data.held}
            value={typed}
            onChange={(e) => setTyped(e.target.value)}
          />
        </label>
      )}
      <dl className="grid grid-cols-[92px_minmax(0,1fr)] gap-y-1">
        {edit && (
          <>
            <dt className="text-ink-2">{right.name}</dt>
            <dd className="line-clamp-4 break-words">
              <Shown value={edit} />
            </dd>
          </>
        )}
        <dt className="text-ink-2">{left.name}</dt>
        <dd className={why_not ? "text-clash first-letter:uppercase" : "line-clamp-4 break-words"}>
          {why_not ?? (comes_back ? <Shown value={comes_back} /> : "stays as it is")}
        </dd>
      </dl>
      <Losses losses={losses} />
    </section>
  );
}
