// Items of a project, as surveyed; opened to see what every field holds.
import { useVirtualizer } from "@tanstack/react-virtual";
import { useRef, useState } from "react";
import { Link } from "react-router";
import { useQueryParts } from "@/lib/use-query";
import { api, take, type Schemas } from "@/api/client";
import { keys } from "@/api/keys";
import { bytes, exact } from "@/lib/format";
import { itemPath } from "@/lib/paths";
import { usePages } from "@/lib/use-pages";
import { count, counted } from "@/lib/words";
import { Loading, Trouble, WherePath } from "@/ui/basics";
import { FindBox } from "@/ui/find-box";
import { Pill } from "@/ui/pills";
import { Scroll } from "@/ui/scroll";
import { linkText, valueText } from "./value";

type Props = {
  system: string;
  container: string;
  kind: Schemas["Kind"];
  schema?: Schemas["KindSchema"];
  users: Schemas["User"][];
};

export function Items({ system, container, kind, schema, users }: Props) {
  const [query, put] = useQueryParts();
  const find = query.get("find") ?? "";
  const field = query.get("field") ?? undefined;
  const value = query.get("value") ?? undefined;
  const holds = (query.get("holds") ?? undefined) as Schemas["Holds"] | undefined;
  const [open, setOpen] = useState<string>();
  const { items, first, isPending, error, more, refetch } = usePages({
    queryKey: keys.artefacts(system, container, kind, find, field, value, holds),
    page: (after: number | undefined) =>
      take(
        api.GET("/systems/{id}/containers/{container}/artefacts", {
          params: {
            path: { id: system, container },
            query: { kind, find: find || undefined, field, value, holds, after, limit: 100 },
          },
        }),
      ),
  });
  const chosen = items.find((i) => i.artefact.id === open) ?? (items.length === 1 ? items[0] : undefined);
  const box = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: items.length,
    getScrollElement: () => box.current,
    estimateSize: () => 31,
    overscan: 12,
  });
  return (
    <>
      <div className="mb-2 flex items-center gap-3">
        <FindBox
          label="Find items"
          placeholder="Title, key or folder"
          className="w-[280px]"
          value={find}
          onFind={(words) => put({ container, kind, view: "items", find: words })}
        />
        {field && (
          <Pill on onClick={() => put({ field: undefined, value: undefined })}>
            {schema?.fields.find((f) => f.id === field)?.name ?? field}: {value || "empty"} ×
          </Pill>
        )}
        {holds && (
          <Pill on onClick={() => put({ holds: undefined })}>
            {holds === "files" ? "with files" : "text not read exactly"} ×
          </Pill>
        )}
        {first && <span className="text-ink-3">{counted(first, "item")}</span>}
      </div>
      {error && <Trouble error={error} retry={refetch} />}
      {isPending && <Loading what="the items" />}
      <div className="grid min-h-[300px] flex-1 grid-cols-[minmax(0,1fr)_minmax(0,1fr)] border border-hair bg-sheet">
        <div
          ref={box}
          className="min-h-0 overflow-auto border-r border-hair"
          onScroll={(e) => {
            const t = e.currentTarget;
            if (t.scrollTop + t.clientHeight > t.scrollHeight - 400) more();
          }}
        >
          {first && items.length === 0 && (
            <p className="p-8 text-center text-ink-3">
              {find || field || holds ? "Nothing matches these filters." : "There are none in this project."}
            </p>
          )}
          <ul style={{ height: rows.getTotalSize(), position: "relative" }} aria-label="Items">
            {rows.getVirtualItems().map((v) => {
              const i = items[v.index];
              if (!i) return null;
              return (
                <li key={v.key} style={{ position: "absolute", top: v.start, height: v.size }} className="w-full">
                  <button
                    type="button"
                    onClick={() => setOpen(i.artefact.id)}
                    className={`flex h-full w-full items-center gap-2 border-b border-hair-2 px-3 text-left ${chosen === i ? "bg-wash" : ""}`}
                  >
                    <span className="mono shrink-0 text-ink-2">{i.artefact.key}</span>
                    <span className="truncate">{i.artefact.title}</span>
                    <WherePath path={i.path} />
                  </button>
                </li>
              );
            })}
          </ul>
        </div>
        <Scroll aria-label="Item" className="min-h-0 p-4">
          {!chosen && items.length > 0 && <p className="text-ink-3">Choose an item to see what its fields hold.</p>}
          {chosen && (
            <Item
              item={chosen}
              schema={schema}
              users={users}
              page={itemPath(system, container, kind, chosen.artefact.id)}
            />
          )}
        </Scroll>
      </div>
    </>
  );
}

function Item({
  item,
  schema,
  users,
  page,
}: {
  item: Schemas["ListedArtefact"];
  schema?: Schemas["KindSchema"];
  users: Schemas["User"][];
  page: string;
}) {
  const a = item.artefact;
  const fields = a.fields as Record<string, Schemas["Value"]>;
  return (
    <article>
      <h2 className="text-[14px] font-semibold break-words">
        <Link to={page} className="hover:underline">
          {a.title}
        </Link>
      </h2>
      <p className="mb-3 text-ink-3">
        <span className="mono">{a.key}</span> · {item.path || "top"}{" "}
        {a.modified && (
          <>
            · {exact(a.modified.at)} {users.find((u) => u.id === a.modified?.by)?.name ?? a.modified.by}
          </>
        )}{" "}
        {a.url && (
          <a className="underline" href={a.url} target="_blank" rel="noreferrer">
            open in its system ↗
          </a>
        )}
      </p>
      {!!a.read_losses?.length && (
        <p className="mb-3 text-loss">
          <Link to={page} className="underline">
            {count(a.read_losses.length, "value was", "values were")} not read exactly
          </Link>
        </p>
      )}
      <dl className="grid grid-cols-[120px_1fr] gap-x-3 gap-y-1.5">
        {schema?.fields
          .filter((f) => !["attachments", "links", "comments", "history"].includes(f.value_type))
          .map((f) => (
            <div key={f.id} className="contents">
              <dt className="text-ink-3">{f.name}</dt>
              <dd className="min-w-0 break-words whitespace-pre-wrap">
                {valueText(fields[f.id], users) || <span className="text-ink-3">empty</span>}
              </dd>
            </div>
          ))}
        {!!a.links?.length && (
          <>
            <dt className="text-ink-3">Links</dt>
            <dd className="break-words whitespace-pre-wrap">{a.links.map(linkText).join("\n")}</dd>
          </>
        )}
        {!!a.comments?.length && (
          <>
            <dt className="text-ink-3">Comments</dt>
            <dd className="break-words whitespace-pre-wrap">
              {valueText({ type: "comments", value: a.comments }, users)}
            </dd>
          </>
        )}
        {!!a.history?.length && (
          <>
            <dt className="text-ink-3">History</dt>
            <dd className="break-words whitespace-pre-wrap">
              {valueText({ type: "history", value: a.history }, users)}
            </dd>
          </>
        )}
        {!!a.attachments?.length && (
          <>
            <dt className="text-ink-3">Files</dt>
            <dd>
              {a.attachments.map((f) => (
                <div key={f.name}>
                  {f.name} <span className="text-ink-3">{bytes(f.bytes)}</span>
                </div>
              ))}
            </dd>
          </>
        )}
      </dl>
    </article>
  );
}
