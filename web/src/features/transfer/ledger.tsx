// The ledger of a transfer: every loss that it recorded and that still stands, by cause, filtered, whole, as a file.
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type Schemas } from "@/api/client";
import { keys } from "@/api/keys";
import { usePages } from "@/lib/use-pages";
import { saveCsv } from "@/lib/save-csv";
import { count, lossWord } from "@/lib/words";
import { Button, Loading, Trouble } from "@/ui/basics";
import { Disc } from "@/ui/disc";
import { FindBox } from "@/ui/find-box";
import { StaysAt } from "@/ui/pieces";
import { VirtualList } from "@/ui/virtual-list";
import { Pill } from "@/ui/pills";
import { Select } from "@/ui/select";
import { anyFieldName } from "../route/use-schema";
import { sum } from "./receipt";

type Filter = { cause?: string; field?: string; kind?: Schemas["LossKind"]; not_foreseen?: boolean; find?: string };
type Line = Schemas["LedgerLine"];

const HEADS = ["Left", "Right", "Field", "Value is", "Because", "Foreseen", "Original", "Now"];

export function Ledger({ job, schema }: { job: string; schema?: Schemas["RouteSchema"] }) {
  const [filter, setFilter] = useState<Filter>({});
  const [saving, setSaving] = useState<unknown>();
  const page = (after: string | undefined, limit: number, of: Filter) =>
    take(api.GET("/jobs/{id}/losses", { params: { path: { id: job }, query: { ...of, after, limit } } }));
  const groups = useQuery({
    queryKey: keys.losses(job, "groups"),
    queryFn: () => take(api.GET("/jobs/{id}/losses/groups", { params: { path: { id: job } } })),
  });
  const pages = usePages({
    queryKey: keys.losses(job, filter),
    page: (after: string | undefined) => page(after, 200, filter),
  });
  if (groups.isPending) return <Loading what="the ledger" />;
  if (groups.error) return <Trouble error={groups.error} retry={() => void groups.refetch()} />;
  const all = sum(groups.data.map((g) => g.count));
  const lines = pages.items;
  const total = pages.first?.total;
  const name = (field: string) => anyFieldName(schema, field);
  const causes = new Map<string, { why: string; kind: Schemas["LossKind"]; count: number }>();
  for (const g of groups.data) {
    const before = causes.get(g.cause)?.count ?? 0;
    causes.set(g.cause, { why: g.why, kind: g.kind, count: before + g.count });
  }
  const fields = [...new Set(groups.data.map((g) => g.field))].sort((a, b) => name(a).localeCompare(name(b)));
  const odd = sum(groups.data.filter((g) => !g.foreseen).map((g) => g.count));
  const save = async () => {
    setSaving(undefined);
    try {
      const rows: Line[] = [];
      let after: string | undefined;
      do {
        const next = await page(after, 500, filter);
        rows.push(...next.items);
        after = next.next ?? undefined;
      } while (after);
      saveCsv(
        "losses.csv",
        HEADS,
        rows.map((l) => cells(l, name)),
      );
    } catch (caught) {
      setSaving(caught);
    }
  };
  const filtered = Object.values(filter).some(Boolean);
  return (
    <section aria-label="Loss ledger">
      <h3 className="mb-1.5 flex items-center gap-2 font-semibold">
        <Disc shape="loss" label="" />
        {count(all, "loss", "losses")} in the ledger
      </h3>
      {all > 0 && (
        <div className="border border-hair bg-sheet">
          <div className="flex flex-wrap items-center gap-2 border-b border-hair px-3 py-2">
            <FindBox
              label="Find losses"
              placeholder="Key or original text"
              className="w-[180px]"
              value={filter.find ?? ""}
              onFind={(find) => setFilter({ ...filter, find: find || undefined })}
            />
            <Select
              aria-label="Cause"
              className="field max-w-[340px]"
              value={filter.cause ?? ""}
              onChange={(chosen) => setFilter({ ...filter, cause: chosen || undefined })}
            >
              <option value="">Cause: all</option>
              {[...causes].map(([cause, g]) => (
                <option key={cause} value={cause}>
                  {g.count.toLocaleString("en")} {lossWord[g.kind]}: {g.why}
                </option>
              ))}
            </Select>
            <Select
              aria-label="Field"
              className="field max-w-[160px]"
              value={filter.field ?? ""}
              onChange={(chosen) => setFilter({ ...filter, field: chosen || undefined })}
            >
              <option value="">Field: all</option>
              {fields.map((f) => (
                <option key={f} value={f}>
                  {name(f)}
                </option>
              ))}
            </Select>
            <Select
              aria-label="Value is"
              className="field"
              value={filter.kind ?? ""}
              onChange={(chosen) => setFilter({ ...filter, kind: (chosen || undefined) as Filter["kind"] })}
            >
              <option value="">Value is: any</option>
              {[...new Set(groups.data.map((g) => g.kind))].map((k) => (
                <option key={k} value={k}>
                  {lossWord[k]}
                </option>
              ))}
            </Select>
            {odd > 0 && (
              <Pill
                on={filter.not_foreseen}
                onClick={() => setFilter({ ...filter, not_foreseen: !filter.not_foreseen || undefined })}
              >
                <span className="text-clash">Not foreseen</span> <b className="font-semibold">{odd}</b>
              </Pill>
            )}
            <span role="status" className="text-ink-2">
              {filtered && total !== undefined && `${total.toLocaleString("en")} of ${all.toLocaleString("en")}`}
            </span>
            <Button className="ml-auto" onClick={() => void save()}>
              Save as CSV
            </Button>
          </div>
          <div className="grid grid-cols-[minmax(120px,170px)_minmax(80px,120px)_minmax(0,1fr)_minmax(0,0.8fr)] gap-3 border-b border-hair px-3 py-1 text-[11px] text-ink-3">
            <span>Item</span>
            <span>Field</span>
            <span>What was lost</span>
            <span>Original</span>
          </div>
          <Trouble error={pages.error ?? saving} />
          {total === 0 && <p className="p-6 text-center text-ink-3">No loss matches these filters.</p>}
          <VirtualList
            label="Losses"
            items={lines}
            keyOf={(_, n) => String(n)}
            more={pages.more}
            className="h-[max(240px,calc(100vh-420px))]"
            row={(l) => <LossRow line={l} name={name} />}
          />
        </div>
      )}
    </section>
  );
}

const cells = (l: Line, name: (field: string) => string) => [
  l.left_key,
  l.right_key,
  name(l.loss.field),
  lossWord[l.loss.kind],
  l.loss.why,
  l.foreseen ? "yes" : "no",
  l.loss.before,
  l.loss.after,
];

function LossRow({ line: l, name }: { line: Line; name: (field: string) => string }) {
  return (
    <div className="grid grid-cols-[minmax(120px,170px)_minmax(80px,120px)_minmax(0,1fr)_minmax(0,0.8fr)] gap-3 px-3 py-1">
      <span className="mono truncate text-ink-2">
        {l.left_key} · {l.right_key}
      </span>
      <span className="truncate">{name(l.loss.field)}</span>
      <span className="min-w-0">
        <span className="text-loss">{lossWord[l.loss.kind]}</span>: {l.loss.why}
        {!l.foreseen && <b className="font-semibold text-clash"> (not foreseen)</b>}
      </span>
      <span className="truncate text-ink-2" title={l.loss.before}>
        {l.loss.before}
        <StaysAt after={l.loss.after} />
      </span>
    </div>
  );
}
