// One artefact: what it holds, what hangs on it, its counterparts, and every transfer that touched it.
import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { api, take, type Schemas } from "@/api/client";
import { keys } from "@/api/keys";
import { ago, bytes, exact } from "@/lib/format";
import { itemPath } from "@/lib/paths";
import { useTitle } from "@/lib/use-title";
import { count, outcomeWord, type DiscShape } from "@/lib/words";
import { Loading, Trouble } from "@/ui/basics";
import { Disc } from "@/ui/disc";
import { Shown } from "@/ui/pieces";
import { Scroll } from "@/ui/scroll";
import { Links } from "./links";
import { Neighbours } from "./neighbours";
import { targetWord } from "../rules/rule-words";

type Page = Schemas["ArtefactPage"];

export default function ArtefactView() {
  const { id = "" } = useParams();
  const [query] = useSearchParams();
  const container = query.get("container") ?? "";
  const kind = (query.get("kind") ?? "test_case") as Schemas["Kind"];
  const item = query.get("item") ?? "";
  const page = useQuery({
    queryKey: keys.artefact(id, container, kind, item),
    queryFn: () =>
      take(
        api.GET("/systems/{id}/containers/{container}/artefact", {
          params: { path: { id, container }, query: { kind, id: item } },
        }),
      ),
  });
  useTitle(page.data && `${page.data.key} ${page.data.title}`, page.data?.system_name);
  if (page.isPending) return <Loading what="the item" />;
  if (page.error)
    return (
      <div className="p-8">
        <Trouble error={page.error} retry={() => void page.refetch()} />
        <p className="mt-3 text-ink-2">
          It may have been removed since the last survey.{" "}
          <Link className="underline" to={`/systems/${id}?${new URLSearchParams({ container, kind }).toString()}`}>
            See what was surveyed
          </Link>
        </p>
      </div>
    );
  const at = (other: string) => itemPath(id, container, kind, other);
  return <Shape a={page.data} system={id} container={container} id={item} at={at} />;
}

type ShapeProps = {
  a: Page;
  system: string;
  container: string;
  id: string;
  /** Where another item of its kind is shown. */
  at: (item: string) => string;
};

function Shape({ a, system, container, id, at }: ShapeProps) {
  const back = `/systems/${system}?${new URLSearchParams({ container, kind: a.kind, view: "items" }).toString()}`;
  const filled = a.fields.filter((f) => !f.empty);
  const empty = a.fields.filter((f) => f.empty);
  return (
    <Scroll aria-label="Item" className="min-h-0 flex-1">
      <header className="border-b border-hair bg-sheet px-6 py-4">
        <div className="flex flex-wrap items-baseline gap-x-4">
          <p className="text-ink-3">
            <Link to={back} className="underline">
              {a.system_name}
            </Link>{" "}
            · {a.kind_name} <span className="mono text-ink-2">{a.key}</span>
            {a.path && <> · {a.path}</>}
          </p>
          <Neighbours a={a} at={at} />
        </div>
        <h1 className="text-[18px] leading-snug font-semibold break-words">{a.title}</h1>
        <p className="text-ink-3">
          {a.modified && (
            <>
              changed {exact(a.modified.at)}
              {a.modified.by && ` by ${a.modified.by}`} ·{" "}
            </>
          )}
          <span title={exact(a.surveyed_at)}>as surveyed {ago(a.surveyed_at)}</span>
          {a.url && (
            <>
              {" · "}
              <a className="underline" href={a.url} target="_blank" rel="noreferrer">
                open in {a.system_name} ↗
              </a>
            </>
          )}
        </p>
      </header>
      <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,430px)] gap-6 p-6">
        <div className="space-y-5">
          <dl className="rounded-lg border border-hair bg-sheet">
            {filled.map((f) => (
              <div
                key={f.field}
                className="grid grid-cols-[130px_1fr] gap-3 border-b border-hair-2 px-4 py-2 last:border-0"
              >
                <dt className="text-ink-3">{f.name}</dt>
                <dd className="min-w-0 break-words">
                  <Shown value={f.value} />
                </dd>
              </div>
            ))}
          </dl>
          {empty.length > 0 && <p className="px-4 text-ink-3">Empty: {empty.map((f) => f.name).join(", ")}</p>}
          {a.not_read.length > 0 && (
            <Card title="Not read exactly">
              <ul className="space-y-1.5">
                {a.not_read.map((l, n) => (
                  <li key={n} className="break-words">
                    <b className="font-semibold">
                      {a.fields.find((f) => f.field === l.field)?.name ?? targetWord(l.field)}
                    </b>
                    : {l.why}
                    {l.before && <span className="mono block text-ink-2">{l.before}</span>}
                  </li>
                ))}
              </ul>
            </Card>
          )}
          {a.comments && (
            <Card title="Comments">
              <Shown value={a.comments} />
            </Card>
          )}
          {a.history && (
            <Card title="History">
              <Shown value={a.history} />
            </Card>
          )}
          {a.kept_histories.map((h) => (
            <Card key={h.system_name + h.key} title={`History of ${h.key} in ${h.system_name}, kept by Hovrel`}>
              <Shown value={h.history} />
              <p className="mt-1.5 text-ink-3" title={exact(h.kept_at)}>
                read {ago(h.kept_at)}; no rule transfers it
              </p>
            </Card>
          ))}
        </div>
        <div className="space-y-5">
          {a.open.length > 0 && (
            <Card title="In dry runs that are not transferred">
              <ul className="space-y-1.5">
                {a.open.map((c) => (
                  <li key={`${c.route} ${c.seq}`} className="flex items-baseline gap-2">
                    <Disc shape={c.outcome as DiscShape} />
                    <span>
                      <Link
                        className="underline"
                        to={`/routes/${c.route}/dry-run?${new URLSearchParams({ find: a.key }).toString()}`}
                      >
                        {outcomeWord[c.outcome as DiscShape]}
                      </Link>
                      <span className="text-ink-3">
                        {c.conflicts > 0 && ` · ${count(c.conflicts, "field")} to decide`}
                        {!c.included && " · left out"} · {c.route_name}
                      </span>
                    </span>
                  </li>
                ))}
              </ul>
            </Card>
          )}
          <Card title="Counterparts">
            {a.counterparts.length === 0 && <p className="text-ink-3">No route has transferred it.</p>}
            <ul className="space-y-1.5">
              {a.counterparts.map((c) => (
                <li key={c.route + c.item.kind}>
                  {c.end === "left" ? "created from " : "counterpart: "}
                  {c.key ? (
                    <Link
                      className="underline decoration-hair underline-offset-2"
                      to={itemPath(c.system, c.container, c.item.kind, c.item.id)}
                    >
                      <span className="mono">{c.key}</span> {c.title}
                    </Link>
                  ) : c.url ? (
                    <a className="underline" href={c.url} target="_blank" rel="noreferrer">
                      <span className="mono">{c.item.id}</span> ↗
                    </a>
                  ) : (
                    <span className="mono">{c.item.id}</span>
                  )}{" "}
                  <span className="text-ink-3">
                    in {c.system_name}, by{" "}
                    <Link className="underline" to={`/routes/${c.route}/ends`}>
                      {c.route_name}
                    </Link>
                    {" · "}
                    <Link
                      className="underline"
                      to={`/record?${new URLSearchParams({ route: c.route, item: c.end === "left" ? c.item.id : id }).toString()}`}
                    >
                      record of both
                    </Link>
                  </span>
                </li>
              ))}
            </ul>
          </Card>
          {a.links.length > 0 && (
            <Card title="Links">
              <Links links={a.links} system={system} container={container} />
            </Card>
          )}
          {a.linked_from.length > 0 && (
            <Card title="Linked from">
              <Links links={a.linked_from} system={system} container={container} from />
            </Card>
          )}
          {a.attachments.length > 0 && (
            <Card title="Files">
              <ul>
                {a.attachments.map((f) => (
                  <li key={f.name} className="flex gap-2">
                    <span className="min-w-0 truncate">{f.name}</span>
                    <span className="ml-auto shrink-0 text-ink-3">
                      {f.media_type} · {bytes(f.bytes)}
                    </span>
                  </li>
                ))}
              </ul>
            </Card>
          )}
          {a.touches.length > 0 && (
            <Card title="Transfers of this item">
              <ul className="space-y-1.5">
                {a.touches.map((t) => (
                  <li key={`${t.plan} ${t.seq}`} className="flex items-baseline gap-2">
                    <Disc shape={t.outcome as DiscShape} />
                    <span>
                      {outcomeWord[t.outcome as DiscShape]}
                      <span className="text-ink-3">
                        {" "}
                        · {count(t.fields.length, "field")}
                        {t.losses > 0 && `, ${count(t.losses, "loss", "losses")}`}
                        {t.state === "refused" && ", refused"} ·{" "}
                        <Link className="underline" to={`/routes/${t.route}/transfer`}>
                          {t.route_name}
                        </Link>
                      </span>
                    </span>
                    <span className="ml-auto shrink-0 text-ink-3" title={exact(t.at)}>
                      {ago(t.at)}
                    </span>
                  </li>
                ))}
              </ul>
            </Card>
          )}
        </div>
      </div>
    </Scroll>
  );
}

function Card({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className="rounded-lg border border-hair bg-sheet px-4 py-3">
      <h2 className="mb-1.5 font-semibold">{title}</h2>
      {children}
    </section>
  );
}
