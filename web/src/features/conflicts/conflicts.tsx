// Conflicts of all routes: what waits for a decision, found by rule, reason and words, decided one by one or many at once.
import { useRef, useState } from "react";
import { useKeys } from "@/app/keys";
import { useQueryParts } from "@/lib/use-query";
import { useTitle } from "@/lib/use-title";
import { count, kindsWord, reasonWord } from "@/lib/words";
import { ButtonLink, Empty, Foot, Kbd, Loading, Trouble } from "@/ui/basics";
import { FindBox } from "@/ui/find-box";
import { Pill, Pills } from "@/ui/pills";
import { Select } from "@/ui/select";
import { Split } from "@/ui/split";
import type { ListHandle } from "@/ui/use-rows";
import { ConflictDetail } from "./conflict-detail";
import { ConflictList } from "./conflict-list";
import { useConflicts, useEditors, useGroups, type Filter } from "./use-conflicts";

const states = [
  ["open", "Open"],
  ["settled", "Decided"],
  ["closed", "Over"],
] as const;

/** Days that a conflict is open at least, and what is said of them. */
const ages = [
  [1, "Open for a day or more"],
  [7, "Open for a week or more"],
  [30, "Open for a month or more"],
] as const;

type State = (typeof states)[number][0];

export default function Conflicts() {
  useTitle("Conflicts");
  const [query, put] = useQueryParts();
  const state = (states.find(([s]) => s === query.get("state"))?.[0] ?? "open") as State;
  const groups = useGroups();
  const editors = useEditors();
  const days = ages.find(([n]) => String(n) === query.get("days"))?.[0];
  const group = groups.data?.find((g) => keyOf(g) === query.get("of"));
  const filter: Filter = {
    state,
    ...(group
      ? { route: group.route, lane: group.lane, rule: group.rule, reason: group.reason }
      : { route: query.get("route") ?? undefined }),
    by: query.get("by") ?? undefined,
    days,
    find: query.get("find") ?? undefined,
  };
  const list = useConflicts(filter);
  const box = useRef<ListHandle>(null);
  // What was decided leaves the list of open ones: the next takes its place.
  const [place, setPlace] = useState(0);
  const found = list.items.findIndex((c) => c.id === query.get("id"));
  const at = found >= 0 ? found : Math.max(0, Math.min(place, list.items.length - 1));
  const chosen = list.items[at];
  const select = (n: number) => {
    const item = list.items[n];
    if (!item) return;
    put({ id: item.id });
    setPlace(n);
    box.current?.show(n);
  };
  useKeys([
    { key: "j", does: "Next conflict", run: () => select(at + 1) },
    { key: "ArrowDown", does: "Next conflict", run: () => select(at + 1) },
    { key: "k", does: "Previous conflict", run: () => select(at - 1) },
    { key: "ArrowUp", does: "Previous conflict", run: () => select(at - 1) },
  ]);
  const total = list.first?.total;
  const none = state === "open" && !group && !filter.find && !filter.route && !filter.by && !days && total === 0;
  return (
    <>
      <div className="flex shrink-0 flex-wrap items-center gap-x-3 gap-y-2 border-b border-hair px-5 py-2.5">
        <h1 className="text-[15px] font-semibold">Conflicts</h1>
        <Pills label="Which conflicts">
          {states.map(([s, word]) => (
            <Pill key={s} on={state === s} onClick={() => put({ state: s === "open" ? undefined : s, id: undefined })}>
              {word}
            </Pill>
          ))}
        </Pills>
        <Select
          aria-label="Rule and reason"
          className="field max-w-[420px]"
          value={group ? keyOf(group) : ""}
          onChange={(of) => put({ of: of || undefined, id: undefined })}
        >
          <option value="">All rules and reasons</option>
          {(groups.data ?? []).map((g) => (
            <option key={keyOf(g)} value={keyOf(g)}>
              {`${g.count.toLocaleString("en")} · ${g.field_name} of ${kindsWord(g.kind)}, ${reasonWord[g.reason]} · ${g.route_name}`}
            </option>
          ))}
        </Select>
        <Select
          aria-label="Changed by"
          className="field max-w-[180px]"
          value={filter.by ?? ""}
          onChange={(by) => put({ by: by || undefined, id: undefined })}
        >
          <option value="">Changed by anyone</option>
          {[...new Set([...(filter.by ? [filter.by] : []), ...(editors.data ?? [])])].map((by) => (
            <option key={by} value={by}>
              {by}
            </option>
          ))}
        </Select>
        <Select
          aria-label="Age"
          className="field"
          value={days ? String(days) : ""}
          onChange={(n) => put({ days: n || undefined, id: undefined })}
        >
          <option value="">Any age</option>
          {ages.map(([n, word]) => (
            <option key={n} value={String(n)}>
              {word}
            </option>
          ))}
        </Select>
        <FindBox
          label="Find conflicts"
          placeholder="Title or key"
          className="w-[180px]"
          value={query.get("find") ?? ""}
          onFind={(find) => put({ find: find || undefined, id: undefined })}
        />
        {query.get("route") && (
          <button type="button" className="underline" onClick={() => put({ route: undefined, id: undefined })}>
            Show all routes
          </button>
        )}
        <span role="status" className="ml-auto text-ink-2">
          {total !== undefined && count(total, "conflict")}
        </span>
      </div>
      {list.isPending && <Loading what="the conflicts" />}
      {list.error && (
        <div className="p-5">
          <Trouble error={list.error} retry={list.refetch} />
        </div>
      )}
      {none && (
        <Empty title="No open conflicts" action={<ButtonLink to="/routes">See the routes</ButtonLink>}>
          A dry run lists a conflict here when both ends changed the same field, or when a change can’t be transferred.
          It stays here until you decide, or until both ends agree.
        </Empty>
      )}
      {!none && total === 0 && <p className="p-8 text-center text-ink-2">Nothing matches these filters.</p>}
      {list.items.length > 0 && (
        <Split
          id="conflicts"
          label="Conflicts and the chosen one"
          list={<ConflictList ref={box} items={list.items} more={list.more} chosen={at} select={select} />}
          detail={chosen && <ConflictDetail key={`${chosen.id} ${chosen.generation}`} id={chosen.id} />}
        />
      )}
      <Foot
        keys={
          <>
            <span>
              <Kbd>J</Kbd> <Kbd>K</Kbd> move
            </span>
            <span>
              <Kbd>L</Kbd> <Kbd>R</Kbd> <Kbd>M</Kbd> <Kbd>D</Kbd> left, right, merge, differ
            </span>
            <span>
              <Kbd>S</Kbd> similar ones
            </span>
          </>
        }
      >
        <span className="text-ink-2">
          A decision is included in the next dry run of its route, and transferred with it.
        </span>
      </Foot>
    </>
  );
}

const keyOf = (g: { route: string; lane: string; rule: string; reason: string }) =>
  [g.route, g.lane, g.rule, g.reason].join(" ");
