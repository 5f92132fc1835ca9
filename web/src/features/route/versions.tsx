// The versions of a route: who saved what, what changed in each, and the way back.
import { useInfiniteQuery, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import * as z from "zod/mini";
import { api, take, type Schemas } from "@/api/client";
import { keys } from "@/api/keys";
import { useProblemForm } from "@/lib/form";
import { ago, exact } from "@/lib/format";
import { kindAt, otherEnd, ownName } from "@/lib/lanes";
import { kindWord } from "@/lib/words";
import { Button, Field, Foot, Loading, Trouble } from "@/ui/basics";
import { Sheet } from "@/ui/dialog";
import { Select } from "@/ui/select";
import { anyFill, fillOf } from "../rules/fills";
import { mapChanges, told } from "../rules/rule-change";
import { useDraft } from "./draft";
import { fieldName, useSchema, type RouteSchema } from "./use-schema";

export default function Versions() {
  const { route, change } = useDraft();
  const navigate = useNavigate();
  const schema = useSchema(route).data;
  const [error, setError] = useState<unknown>();
  const list = useInfiniteQuery({
    queryKey: keys.versions(route.id, route.version),
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
      <div className="flex-1 px-5 py-5">
        <div className="mb-3 flex max-w-[960px] flex-wrap items-center justify-between gap-3">
          <h2 className="text-[15px] font-semibold">Versions</h2>
          {route.version > 1 && <Compare schema={schema} />}
        </div>
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
                  <span className="block text-ink-2">{v.saved_by ?? "removed user"}</span>
                  <span className="block text-ink-3" title={exact(v.saved_at)}>
                    {ago(v.saved_at)}
                  </span>
                </div>
                <div className="min-w-0">
                  <Note route={route.id} version={v} />
                  {v.version === 1 ? (
                    <p className="text-ink-2">The first version.</p>
                  ) : (
                    <Changes changes={v.changes} schema={schema} />
                  )}
                </div>
                {v.version !== route.version && (
                  <Button className="self-start" onClick={() => void goBack(v.version)}>
                    Restore
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
      <Foot keys={<span>Restoring changes nothing until you save it, as a new version.</span>}>
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
  name: "its name",
  kinds: "its kinds",
  direction: "its direction",
  left_scope: "the scope at the left",
  right_scope: "the scope at the right",
  along: "what comes along",
  matching: "how counterparts are found",
  policies: "its policies",
};

function Changes({ changes, schema }: { changes: Schemas["LaneChange"][]; schema?: RouteSchema }) {
  if (changes.length === 0) return <p className="text-ink-2">Nothing of its lanes changed.</p>;
  return (
    <ul className="min-w-0 space-y-1.5">
      {changes.map((c) => {
        const own = ownName(c, changes, (l) => l.lane);
        const named = (end: Schemas["End"]) => (field: string) => fieldName(schema, end, kindAt(c, end), field);
        return (
          <li key={c.lane}>
            <b className="font-semibold first-letter:uppercase">{kindWord[c.left_kind]}</b>
            {own && <span> · {own}</span>}
            {c.became === "added" && <span className="text-ink-2"> · lane added</span>}
            {c.became === "removed" && <span className="text-ink-2"> · lane removed</span>}
            {c.parts.length > 0 && (
              <span className="text-ink-2"> · changed: {c.parts.map((p) => partWord[p]).join(", ")}</span>
            )}
            <ul className="pl-3">
              {c.rules.map((r) => (
                <RuleChange key={r.rule} change={r} named={named} />
              ))}
            </ul>
          </li>
        );
      })}
    </ul>
  );
}

type RuleChangeProps = {
  change: Schemas["RuleChange"];
  /** What fields of an end are called. */
  named: (end: Schemas["End"]) => (field: string) => string;
};

/** The end that a rule fills, or filled: the right, where it fills both. */
const filledEnd = ({ before, after }: Schemas["RuleChange"]) => (fillOf(after ?? before, "right") ? "right" : "left");

function RuleChange({ change, named: namedAt }: RuleChangeProps) {
  const [before, after] = [anyFill(change.before), anyFill(change.after)];
  const end = filledEnd(change);
  const [to, named] = [namedAt(end)((after ?? before)?.target ?? change.rule), namedAt(otherEnd(end))];
  const rows = before && after ? mapChanges(before, after) : undefined;
  return (
    <li className="break-words">
      {to}:{" "}
      {rows ? (
        rows.join("; ")
      ) : (
        <>
          {before ? <del>{told(before, named)}</del> : "no rule"} →{" "}
          {after ? <ins>{told(after, named)}</ins> : "no rule"}
        </>
      )}
    </li>
  );
}

/** A note to a version, written in place. */
function Note({ route, version: v }: { route: string; version: Schemas["VersionAnswer"] }) {
  const queries = useQueryClient();
  const [open, setOpen] = useState(false);
  const { form, submit, trouble } = useProblemForm(
    z.object({ note: z.string().check(z.trim(), z.maxLength(500, "A note has at most 500 characters.")) }),
    { note: v.note },
    async ({ note }) => {
      const path = { id: route, version: v.version };
      await take(api.PUT("/routes/{id}/versions/{version}/note", { params: { path }, body: { note } }));
      await queries.invalidateQueries({ queryKey: keys.versions(route) });
      setOpen(false);
    },
  );
  if (!open)
    return (
      <p className="mb-1">
        {v.note && <span className="mr-2 break-words whitespace-pre-wrap">{v.note}</span>}
        <button
          type="button"
          className="text-ink-2 underline decoration-hair underline-offset-3"
          aria-label={`${v.note ? "Edit the note" : "Add a note"} to version ${v.version}`}
          onClick={() => setOpen(true)}
        >
          {v.note ? "Edit the note" : "Add a note"}
        </button>
      </p>
    );
  return (
    <form onSubmit={submit} className="mb-2">
      <Field label={`Note to version ${v.version}`} error={form.formState.errors.note?.message}>
        {(p) => <textarea {...p} {...form.register("note")} autoFocus rows={2} className="field w-full" />}
      </Field>
      <Trouble error={trouble} />
      <div className="flex gap-2">
        <Button go type="submit" disabled={form.formState.isSubmitting}>
          Save the note
        </Button>
        <Button onClick={() => setOpen(false)}>Cancel</Button>
      </div>
    </form>
  );
}

/** What is different between any two versions. */
function Compare({ schema }: { schema?: RouteSchema }) {
  const { route } = useDraft();
  const [open, setOpen] = useState(false);
  const [since, setSince] = useState(route.version - 1);
  const [version, setVersion] = useState(route.version);
  const changes = useQuery({
    queryKey: keys.versions(route.id, "compare", version, since),
    queryFn: () =>
      take(
        api.GET("/routes/{id}/versions/{version}/changes", {
          params: { path: { id: route.id, version }, query: { since } },
        }),
      ),
    enabled: open && since !== version,
  });
  const numbers = Array.from({ length: route.version }, (_, n) => route.version - n);
  const choice = (label: string, value: number, set: (n: number) => void) => (
    <label className="flex items-center gap-2">
      {label}
      <Select aria-label={`${label} version`} value={value} onChange={(chosen) => set(Number(chosen))}>
        {numbers.map((n) => (
          <option key={n} value={n}>
            version {n}
          </option>
        ))}
      </Select>
    </label>
  );
  return (
    <>
      <Button aria-haspopup="dialog" onClick={() => setOpen(true)}>
        Compare two versions
      </Button>
      <Sheet title="Compare two versions" open={open} onOpenChange={setOpen}>
        <div className="mb-3 flex flex-wrap gap-4">
          {choice("From", since, setSince)}
          {choice("to", version, setVersion)}
        </div>
        {since === version && <p className="text-ink-2">Choose two different versions.</p>}
        <Trouble error={changes.error} />
        {since !== version && changes.isPending && <Loading what="both versions" />}
        {since !== version && changes.data && <Changes changes={changes.data} schema={schema} />}
        <div className="mt-4 flex justify-end">
          <Button onClick={() => setOpen(false)}>Close</Button>
        </div>
      </Sheet>
    </>
  );
}
