// The record: every value that was written outside and every decision about a conflict, the latest first.
import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, take, type Schemas } from "@/api/client";
import { keys } from "@/api/keys";
import { ago, exact } from "@/lib/format";
import { usePages } from "@/lib/use-pages";
import { useQueryParts } from "@/lib/use-query";
import { useTitle } from "@/lib/use-title";
import { kindWord } from "@/lib/words";
import { Empty, Loading, Trouble } from "@/ui/basics";
import { FindBox } from "@/ui/find-box";
import { Shown } from "@/ui/pieces";
import { Select } from "@/ui/select";
import { VirtualList } from "@/ui/virtual-list";
import { Scroll } from "@/ui/scroll";
import { lineWord } from "./words";

type Line = Schemas["Recorded"];

const COLUMNS = "grid grid-cols-[118px_210px_190px_minmax(0,1fr)_minmax(0,200px)] gap-x-3";

export default function Record() {
  useTitle("Record");
  const [query, put] = useQueryParts();
  const routes = useQuery({ queryKey: keys.routes, queryFn: () => take(api.GET("/routes")) });
  const end = query.get("end");
  const filter = {
    route: query.get("route") ?? undefined,
    left_id: query.get("item") ?? undefined,
    end: end === "left" || end === "right" ? end : undefined,
    find: query.get("find") ?? undefined,
  } as const;
  const list = usePages({
    queryKey: keys.record(filter),
    page: (after: number | undefined) => take(api.GET("/record", { params: { query: { ...filter, after } } })),
    keep: true,
  });
  const filtered = !!(filter.route ?? filter.left_id ?? filter.end ?? filter.find);
  const empty = list.first && list.items.length === 0;
  return (
    <>
      <div className="flex shrink-0 flex-wrap items-center gap-x-3 gap-y-2 border-b border-hair px-5 py-2.5">
        <h1 className="text-[15px] font-semibold">Record</h1>
        <Select
          aria-label="Route"
          className="field max-w-[320px]"
          value={filter.route ?? ""}
          onChange={(route) => put({ route: route || undefined })}
        >
          <option value="">All routes</option>
          {(routes.data ?? []).map((r) => (
            <option key={r.id} value={r.id}>
              {r.name}
            </option>
          ))}
        </Select>
        <Select
          aria-label="Written end"
          className="field"
          value={filter.end ?? ""}
          onChange={(end) => put({ end: end || undefined })}
        >
          <option value="">Either end</option>
          <option value="left">Written at left</option>
          <option value="right">Written at right</option>
        </Select>
        <FindBox
          label="Find in the record"
          placeholder="Key begins with"
          className="w-[160px]"
          value={filter.find ?? ""}
          onFind={(find) => put({ find: find || undefined })}
        />
        {filter.left_id && (
          <button type="button" className="underline" onClick={() => put({ item: undefined })}>
            Show all items
          </button>
        )}
        <span className="ml-auto text-ink-2">Lines are added, never changed or removed.</span>
      </div>
      {list.isPending && <Loading what="the record" />}
      {list.error && (
        <div className="p-5">
          <Trouble error={list.error} retry={list.refetch} />
        </div>
      )}
      {empty && !filtered && (
        <Empty title="Nothing is recorded yet">
          Each transfer adds what it writes at either end, with what stood there before. Decisions about conflicts are
          added too.
        </Empty>
      )}
      {empty && filtered && <p className="p-8 text-center text-ink-2">Nothing matches these filters.</p>}
      {list.items.length > 0 && (
        <>
          <div className={`${COLUMNS} shrink-0 border-b border-hair bg-sheet px-5 py-1.5 text-[11px] text-ink-2`}>
            <span>When</span>
            <span>Item</span>
            <span>What</span>
            <span>Change</span>
            <span>Route</span>
          </div>
          <VirtualList
            label="Lines of the record"
            items={list.items}
            keyOf={(l) => String(l.id)}
            row={(l) => <Row line={l} />}
            more={list.more}
            className="min-h-0 flex-1 bg-sheet"
          />
        </>
      )}
    </>
  );
}

function Row({ line: l }: { line: Line }) {
  const tone = l.end === "left" ? "border-end-left" : l.end === "right" ? "border-end-right" : "border-transparent";
  return (
    <div className={`${COLUMNS} border-l-[3px] py-1.5 pr-5 pl-[17px] ${tone}`}>
      <span className="text-ink-2" title={exact(l.at)}>
        {ago(l.at)}
      </span>
      <span className="min-w-0 truncate">
        <span className="text-ink-3">{kindWord[l.kind]} </span>
        <Link className="mono hover:underline" to={`/record?route=${l.route}&item=${encodeURIComponent(l.left_id)}`}>
          {l.left_key || "–"} · {l.right_key || "–"}
        </Link>
      </span>
      <span className="min-w-0">
        {lineWord(l)}
        {l.by && <span className="block text-ink-2">by {l.by}</span>}
      </span>
      <Scroll aria-label="What changed" className="max-h-[160px] min-w-0">
        {l.change && <Shown value={l.change} />}
      </Scroll>
      <span className="min-w-0 truncate text-ink-2">{l.route_name || "a route that was removed"}</span>
    </div>
  );
}
