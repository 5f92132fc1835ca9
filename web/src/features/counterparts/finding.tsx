// How counterparts of a lane are found, and what happens to values that differ: part of the route, saved as a version.
import type { Schemas } from "@/api/client";
import { withPolicy } from "@/lib/lanes";
import { Button } from "@/ui/basics";
import { Pop } from "@/ui/pop";
import { Select } from "@/ui/select";
import { useDraft, type Lane } from "../route/draft";

const KEY = "@key";

type Kind = Schemas["KindSchema"] | undefined;

/** Fields that can tell one item from all others. */
const telling = (kind: Kind) =>
  kind?.fields.filter((f) => ["text", "integer", "url"].includes(f.value_type) && !f.id.startsWith("@")) ?? [];

export function Finding({ lane, left, right }: { lane: Lane; left: Kind; right: Kind }) {
  const { route, changeLane, dirty, save } = useDraft();
  const matching = lane.matching ?? { similar_from: 60 };
  const key = matching.key ?? undefined;
  const set = (more: Partial<typeof matching>) =>
    changeLane(lane.id, (l) => ({ ...l, matching: { ...matching, ...more } }));
  const setKey = (end: "left" | "right", field: string) =>
    set({ key: field ? { left: KEY, right: KEY, ...key, [end]: field } : null });
  const choice = (end: "left" | "right", kind: Kind) => (
    <label className="grid grid-cols-[110px_1fr] items-center gap-2">
      <span className="text-ink-2">Key at the {end}</span>
      <Select
        className="field w-full"
        aria-label={`Key at the ${end}`}
        value={key?.[end] ?? ""}
        onChange={(chosen) => setKey(end, chosen)}
      >
        <option value="">no key</option>
        <option value={KEY}>what people call the item</option>
        {telling(kind).map((f) => (
          <option key={f.id} value={f.id}>
            {f.name}
          </option>
        ))}
      </Select>
    </label>
  );
  return (
    <>
      <Pop label="How counterparts are found" title="How counterparts are found">
        <div className="w-[380px] space-y-2">
          <p className="text-ink-2">
            First what you decided here, then the origin mark, then equal keys, then the same title in the same folder.
            The rest is compared by similarity.
          </p>
          {choice("left", left)}
          {choice("right", right)}
          <label className="grid grid-cols-[110px_1fr] items-center gap-2">
            <span className="text-ink-2">Suggest from</span>
            <Select
              className="field w-full"
              aria-label="Suggest from"
              value={matching.similar_from}
              onChange={(chosen) => set({ similar_from: Number(chosen) })}
            >
              {[...new Set([40, 50, 60, 70, 80, 90, matching.similar_from])]
                .sort((a, b) => a - b)
                .map((n) => (
                  <option key={n} value={n}>
                    {n > 100 ? "never" : `from ${n}%`}
                  </option>
                ))}
              {matching.similar_from <= 100 && <option value={101}>never</option>}
            </Select>
          </label>
          <label className="grid grid-cols-[110px_1fr] items-center gap-2">
            <span className="text-ink-2">If values differ</span>
            <Select
              className="field w-full"
              aria-label="If values differ"
              value={lane.policies?.first_contact ?? "ask"}
              onChange={(chosen) =>
                changeLane(lane.id, (l) => withPolicy(l, { first_contact: chosen as Schemas["FirstContact"] }))
              }
            >
              <option value="ask">wait for a decision, in the dry run</option>
              <option value="left_wins">use the left</option>
              <option value="right_wins">keep the right</option>
            </Select>
          </label>
        </div>
      </Pop>
      {dirty && <Button onClick={() => void save()}>Save as version {route.version + 1} and compare again</Button>}
    </>
  );
}
