// The versions of a route: who saved what, what changed in each, and the way back.
import { useInfiniteQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, take, type Schemas } from "@/api/client";
import { ago, exact } from "@/lib/format";
import { kindWord } from "@/lib/words";
import { Button, Foot, Loading, Trouble } from "@/ui/basics";
import { mapChanges, told } from "../rules/rule-change";
import { useDraft } from "./draft";
import { fieldName, useSchema, type RouteSchema } from "./use-schema";

export default function Versions() {
  const { route, change } = useDraft();
  const navigate = useNavigate();
  const schema = useSchema(route).data;
  const [error, setError] = useState<unknown>();
  const list = useInfiniteQuery({
    queryKey: ["versions", route.id, route.version],
    queryFn: ({ pageParam }) =>
      take(api.GET("/routes/{id}/versions", { params: { path: { id: route.id }, query: { before: pageParam } } })),
    initialPageParam: undefined as number | undefined,
    getNextPageParam: (last) => last.next ?? undefined,
  });
  const goBack = async (version: number) => {
    try {
      change(await take(api.GET("/routes/{id}/versions/{version}", { params: { path: { id: route.id, version } } })));
      await navigate("../rules");
    } catch (caught) {
      setError(caught);
    }
  };
  if (list.isPending) return <Loading what="the versions" />;
  return (
    <>
      <div className="min-h-0 flex-1 overflow-auto px-5 py-5">
        <h2 className="mb-3 text-[15px] font-semibold">Versions of {route.name}</h2>
        <Trouble error={list.error ?? error} />
        <ol className="max-w-[960px] rounded-lg border border-hair bg-sheet">
          {list.data?.pages
            .flatMap((p) => p.versions)
            .map((v) => (
              <li
                key={v.version}
                className="grid grid-cols-[150px_1fr_auto] gap-4 border-b border-hair-2 px-4 py-3 last:border-0"
              >
                <div>
                  <b className="font-semibold">Version {v.version}</b>
                  {v.version === route.version && <span className="text-ink-2"> · in use</span>}
                  <span className="block text-ink-2">{v.saved_by ?? "somebody who left"}</span>
                  <span className="block text-ink-3" title={exact(v.saved_at)}>
                    {ago(v.saved_at)}
                  </span>
                </div>
                <Changes version={v} schema={schema} />
                {v.version !== route.version && (
                  <Button className="self-start" onClick={() => void goBack(v.version)}>
                    Go back to it
                  </Button>
                )}
              </li>
            ))}
        </ol>
        {list.hasNextPage && (
          <Button className="mt-3" disabled={list.isFetching} onClick={() => void list.fetchNextPage()}>
            Older versions
          </Button>
        )}
      </div>
      <Foot keys={<span>Going back changes nothing until it is saved, as a new version.</span>}>
        <a
          href={`/api/v1/routes/${route.id}/file`}
          download
          className="underline decoration-hair underline-offset-3 hover:decoration-ink"
        >
          Save version {route.version} as a file
        </a>
      </Foot>
    </>
  );
}

const partWord: Record<Schemas["LanePart"], string> = {
  kinds: "its kinds",
  direction: "its direction",
  left_scope: "the scope at the left",
  right_scope: "the scope at the right",
  along: "what comes along",
  matching: "how counterparts are found",
  policies: "its policies",
};

function Changes({ version, schema }: { version: Schemas["VersionAnswer"]; schema?: RouteSchema }) {
  if (version.changes.length === 0)
    return (
      <p className="text-ink-3">{version.version === 1 ? "The first version." : "Nothing of its lanes changed."}</p>
    );
  return (
    <ul className="min-w-0 space-y-1.5">
      {version.changes.map((c) => {
        const kind = schema?.right?.catalogue.kinds.find((k) => k.kind === c.lane)?.kind;
        const left = schema?.left?.catalogue.kinds.find((k) => k.kind === c.lane);
        const named = (field: string) => left?.fields.find((f) => f.id === field)?.name ?? field;
        return (
          <li key={c.lane}>
            <b className="font-semibold first-letter:uppercase">{kindWord[c.lane] ?? c.lane}</b>
            {c.became === "added" && <span className="text-ink-2"> · lane added</span>}
            {c.became === "removed" && <span className="text-ink-2"> · lane removed</span>}
            {c.parts.length > 0 && (
              <span className="text-ink-2"> · changed: {c.parts.map((p) => partWord[p]).join(", ")}</span>
            )}
            <ul className="pl-3">
              {c.rules.map((r) => (
                <RuleChange key={r.target} change={r} to={fieldName(schema, kind, r.target)} named={named} />
              ))}
            </ul>
          </li>
        );
      })}
    </ul>
  );
}

type RuleChangeProps = { change: Schemas["RuleChange"]; to: string; named: (field: string) => string };

function RuleChange({ change: { before, after }, to, named }: RuleChangeProps) {
  const rows = before && after ? mapChanges(before, after) : undefined;
  return (
    <li className="break-words">
      {to}:{" "}
      {rows ? (
        rows.join("; ")
      ) : (
        <>
          {before ? <del>{told(before, named)}</del> : "not fed"} →{" "}
          {after ? <ins>{told(after, named)}</ins> : "not fed"}
        </>
      )}
    </li>
  );
}
