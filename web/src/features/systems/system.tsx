// One system: its check, and the survey of each project: counts, folders, fields, values, items.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Tabs } from "radix-ui";
import { useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { toast } from "sonner";
import { api, take, type Schemas } from "@/api/client";
import { keys, refresh } from "@/api/keys";
import { ago, bytes, exact, percent } from "@/lib/format";
import { formatWord, count, kindsWord, kindWord, notRead, typeWord } from "@/lib/words";
import { Bar, Button, Empty, Loading, Pill, Trouble } from "@/ui/basics";
import { itemPath } from "@/lib/paths";
import { CheckList } from "./check-list";
import { Disconnect } from "./disconnect";
import { Items } from "./items";
import { Head } from "./head";
import { People } from "./people";
import { Shape } from "./shape";
import { BeyondLimits, Uses } from "./uses";
import { useSurvey } from "./use-survey";
import { useUses } from "./use-uses";

export default function SystemView() {
  const { id = "" } = useParams();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [busy, setBusy] = useState(false);
  const [error, setError] = useState<unknown>();
  const path = { params: { path: { id } } };
  const system = useQuery({ queryKey: keys.system(id), queryFn: () => take(api.GET("/systems/{id}", path)) });
  const containers = useQuery({
    queryKey: keys.containers(id),
    queryFn: () => take(api.GET("/systems/{id}/containers", path)),
  });
  const surveys = useQuery({ queryKey: keys.surveys(id), queryFn: () => take(api.GET("/systems/{id}/surveys", path)) });
  const [query, setQuery] = useSearchParams();
  if (system.isPending) return <Loading what="the system" />;
  if (system.error)
    return (
      <div className="p-8">
        <Trouble error={system.error} />
      </div>
    );
  const check = async () => {
    setBusy(true);
    setError(undefined);
    try {
      await take(api.POST("/systems/{id}/check", path));
    } catch (caught) {
      setError(caught);
    }
    await refresh.system(queries, id);
    setBusy(false);
  };
  const remove = async () => {
    try {
      await take(api.DELETE("/systems/{id}", path));
      await refresh.systems(queries);
      toast(`${system.data.name} is disconnected. Nothing in it was changed.`);
      await navigate("/systems");
    } catch (caught) {
      setError(caught);
    }
  };
  const container = query.get("container") ?? containers.data?.[0]?.id;
  const survey = surveys.data?.surveys.find((s) => s.container === container);
  const running = surveys.data?.running.find((j) => j.container === container);
  return (
    <div className="flex min-h-0 flex-1">
      <aside className="w-[clamp(220px,24%,330px)] shrink-0 overflow-auto border-r border-hair bg-sheet p-5">
        <h1 className="text-[16px] font-semibold">{system.data.name}</h1>
        <p className="mono mb-4 break-all text-ink-3">{system.data.address}</p>
        <div className="mb-4 flex gap-2">
          <Button onClick={() => void check()} disabled={busy}>
            {busy ? "Checking…" : "Check again"}
          </Button>
          <Disconnect name={system.data.name} remove={() => void remove()} />
        </div>
        <Trouble error={error} />
        {system.data.check && (
          <>
            <p className="mb-2 text-ink-3" title={exact(system.data.checked_at)}>
              checked {ago(system.data.checked_at)}
            </p>
            <CheckList steps={system.data.check} />
          </>
        )}
      </aside>
      <section className="flex min-w-0 flex-1 flex-col overflow-auto p-5">
        {containers.error && <Trouble error={containers.error} retry={() => void containers.refetch()} />}
        <label className="mb-4 flex items-center gap-2">
          <span className="text-ink-2">Project</span>
          <select
            className="field max-w-full min-w-[200px]"
            value={container ?? ""}
            onChange={(e) => setQuery({ container: e.target.value })}
          >
            {containers.data?.map((c) => (
              <option key={c.id} value={c.id}>
                {c.name}
              </option>
            ))}
          </select>
        </label>
        {container && surveys.data && (
          <SurveyPart key={container} system={id} container={container} survey={survey} running={running?.id} />
        )}
      </section>
    </div>
  );
}

function SurveyPart({
  system,
  container,
  survey,
  running,
}: {
  system: string;
  container: string;
  survey?: Schemas["SurveyAnswer"];
  running?: string;
}) {
  const { job, lost, busy: active, begin, error } = useSurvey(system, container, running);
  const p = job?.progress as { kind?: string; read?: number; total?: number } | undefined;
  const progress = active && (
    <p role="status" className="my-3 text-ink-2">
      Reading {p?.kind ? kindsWord(p.kind) : ""} {p?.read != null && `${p.read} of ${p.total ?? "?"}`}{" "}
      {lost && <span className="text-clash">· connection lost, catching up by itself</span>}
    </p>
  );
  if (!survey) {
    return (
      <Empty
        title="Not surveyed yet"
        action={
          !active && (
            <Button go onClick={begin}>
              Survey this project
            </Button>
          )
        }
      >
        A survey reads everything in the project and shows what each field really holds. It changes nothing there.
        {progress}
        <Trouble error={error} />
      </Empty>
    );
  }
  return (
    <>
      <div className="mb-3 flex items-center gap-3">
        <span className="text-ink-3" title={exact(survey.at)}>
          surveyed {ago(survey.at)}
        </span>
        <Button disabled={!!active} onClick={begin}>
          Survey again
        </Button>
        {progress}
      </div>
      <Trouble error={error} />
      <Found system={system} survey={survey} />
    </>
  );
}

function Found({ system, survey }: { system: string; survey: Schemas["SurveyAnswer"] }) {
  const [query, setQuery] = useSearchParams();
  const kinds = survey.catalogue.kinds;
  const uses = useUses(system, survey.container, survey.at).data ?? [];
  const kind =
    query.get("kind") ??
    (kinds.find((k) => k.kind === "test_case") ?? kinds.find((k) => k.kind !== "folder"))?.kind ??
    kinds[0]?.kind ??
    "test_case";
  const view = query.get("find") != null || query.get("field") ? "items" : (query.get("view") ?? "fields");
  // People and folders are of the whole project, whatever kind was looked at.
  const whole = view === "people" || view === "tree";
  const schema = kinds.find((k) => k.kind === kind);
  const found = survey.survey.kinds.find((k) => k.kind === kind);
  const show = (more: Record<string, string>) => setQuery({ container: survey.container, kind, ...more });
  return (
    <>
      <dl className="mb-4 flex flex-wrap gap-x-8 gap-y-2 rounded-lg border border-hair bg-sheet px-5 py-3">
        {survey.survey.kinds.map((k) => (
          <div key={k.kind}>
            <dt className="text-ink-3">{kinds.find((s) => s.kind === k.kind)?.name ?? kindWord[k.kind]}</dt>
            <dd>
              <Figure n={k.count} open={() => setQuery({ container: survey.container, kind: k.kind, view: "items" })} />
            </dd>
          </div>
        ))}
        <div>
          <dt className="text-ink-3">People</dt>
          <dd>
            <Figure n={survey.catalogue.users.length} open={() => show({ view: "people" })} />
          </dd>
        </div>
        {survey.survey.coverage && (
          <div>
            <dt className="text-ink-3">Requirements with a test case</dt>
            <dd>
              <button
                type="button"
                className="text-[18px] font-semibold hover:underline"
                onClick={() => setQuery({ container: survey.container, kind: "requirement", view: "coverage" })}
              >
                {percent(survey.survey.coverage.covered, survey.survey.coverage.total)}
              </button>{" "}
              <span className="text-ink-3">
                {survey.survey.coverage.covered} of {survey.survey.coverage.total}
              </span>
            </dd>
          </div>
        )}
        {!!survey.survey.dangling_count && (
          <div>
            <dt className="text-ink-3">Broken links</dt>
            <dd className="text-clash">
              <Figure
                n={survey.survey.dangling_count}
                open={() =>
                  setQuery({
                    container: survey.container,
                    kind: survey.survey.dangling?.[0]?.kind ?? kind,
                    view: "shape",
                  })
                }
              />
            </dd>
          </div>
        )}
      </dl>
      {!!survey.survey.drift?.length && (
        <div role="note" className="mb-4 rounded-lg border border-hair bg-wash px-5 py-3">
          <b className="font-semibold">Changed since the last survey</b>
          <ul className="text-ink-2">
            {survey.survey.drift.map((d) => (
              <li key={d}>{d}</li>
            ))}
          </ul>
        </div>
      )}
      {!!survey.catalogue.findings?.length && (
        <div role="note" className="mb-4 rounded-lg border border-hair bg-wash px-5 py-3">
          <b className="font-semibold">What is not read here</b>
          <ul className="text-ink-2">
            {survey.catalogue.findings.map((f) => (
              <li key={notRead(f)}>{notRead(f)}</li>
            ))}
          </ul>
        </div>
      )}
      <Uses uses={uses} />
      <Tabs.Root
        value={whole ? view : kind}
        onValueChange={(chosen) =>
          chosen === "people" || chosen === "tree"
            ? show({ view: chosen })
            : setQuery({ container: survey.container, kind: chosen, view: whole ? "fields" : view })
        }
      >
        <Tabs.List aria-label="Kinds" className="flex flex-wrap gap-x-4 border-b border-hair">
          {kinds.map((k) => (
            <Tabs.Trigger key={k.kind} value={k.kind} className={TAB}>
              {k.name}
            </Tabs.Trigger>
          ))}
          <span aria-hidden className="my-1.5 border-l border-ink-3" />
          <Tabs.Trigger value="people" className={TAB}>
            People
          </Tabs.Trigger>
          <Tabs.Trigger value="tree" className={TAB}>
            Folders of the project
          </Tabs.Trigger>
        </Tabs.List>
        <Tabs.Content value={whole ? view : kind} tabIndex={-1}>
          {!whole && (
            <div className="my-3 flex flex-wrap items-center gap-2">
              <Pill on={view === "fields"} onClick={() => show({ view: "fields" })}>
                Fields and values
              </Pill>
              <Pill on={view === "items"} onClick={() => show({ view: "items" })}>
                Items
              </Pill>
              {survey.survey.coverage && kind === "requirement" && (
                <Pill on={view === "coverage"} onClick={() => show({ view: "coverage" })}>
                  Without a test case
                </Pill>
              )}
              <Pill on={view === "shape"} onClick={() => show({ view: "shape" })}>
                Shape and markup
              </Pill>
              {found && found.attachments > 0 && (
                <button
                  type="button"
                  className="ml-3 text-ink-2 underline decoration-hair underline-offset-3"
                  onClick={() => show({ view: "items", holds: "files" })}
                >
                  {count(found.attachments, "file")}, {bytes(found.attachment_bytes)}, the largest{" "}
                  {bytes(found.largest_attachment)}
                </button>
              )}
              {found && found.with_read_losses > 0 && (
                <button
                  type="button"
                  className="ml-3 text-loss underline decoration-hair underline-offset-3"
                  onClick={() => show({ view: "items", holds: "read_losses" })}
                >
                  {count(found.with_read_losses, "item")} with text not read exactly
                </button>
              )}
            </div>
          )}
          {whole && <div className="h-3" />}
          {view === "fields" && schema && (
            <Fields
              schema={schema}
              survey={found}
              users={survey.catalogue.users}
              uses={uses}
              open={(field, value) => show({ field, value })}
            />
          )}
          {view === "items" && (
            <Items
              system={system}
              container={survey.container}
              kind={kind as Schemas["Kind"]}
              schema={schema}
              users={survey.catalogue.users}
            />
          )}
          {view === "coverage" && survey.survey.coverage && (
            <Uncovered coverage={survey.survey.coverage} system={system} container={survey.container} />
          )}
          {view === "shape" && (
            <Shape system={system} container={survey.container} kind={kind} survey={survey.survey} />
          )}
          {view === "people" && <People catalogue={survey.catalogue} survey={survey.survey} />}
          {view === "tree" && (
            <Tree
              system={system}
              container={survey.container}
              open={(path) => setQuery({ container: survey.container, kind: "test_case", find: path })}
            />
          )}
        </Tabs.Content>
      </Tabs.Root>
    </>
  );
}

const TAB =
  "border-b-2 border-transparent px-1 py-1.5 text-ink-2 data-[state=active]:border-ink data-[state=active]:font-semibold data-[state=active]:text-ink";

/** A number that opens what it counts. */
function Figure({ n, open }: { n: number; open: () => void }) {
  return (
    <button type="button" className="text-[18px] font-semibold hover:underline" onClick={open}>
      {n.toLocaleString("en")}
    </button>
  );
}

/** The requirements that no test case verifies. */
function Uncovered({
  coverage,
  system,
  container,
}: {
  coverage: Schemas["Coverage"];
  system: string;
  container: string;
}) {
  const missing = coverage.total - coverage.covered;
  if (missing === 0) return <p className="text-ink-2">Every requirement has a test case.</p>;
  return (
    <>
      <p className="mb-2 text-ink-2">
        {missing.toLocaleString("en")} of {count(coverage.total, "requirement has", "requirements have")} no test case.
        {missing > coverage.uncovered.length && ` The first ${coverage.uncovered.length} are listed.`}
      </p>
      <table className="w-full border border-hair bg-sheet">
        <Head names={["Key", "Title"]} />
        <tbody>
          {coverage.uncovered.map((u) => (
            <tr key={u.id} className="border-b border-hair-2 last:border-0">
              <td className="mono w-[120px] px-3 py-1.5">
                <Link
                  className="underline decoration-hair underline-offset-3"
                  to={itemPath(system, container, "requirement", u.id)}
                >
                  {u.key}
                </Link>
              </td>
              <td className="px-3">{u.title}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

function Fields({
  schema,
  survey,
  users,
  uses,
  open,
}: {
  schema: Schemas["KindSchema"];
  survey?: Schemas["KindSurvey"];
  users: Schemas["User"][];
  uses: Schemas["Use"][];
  open: (field: string, value: string) => void;
}) {
  const total = survey?.count ?? 0;
  return (
    <table className="w-full border border-hair bg-sheet">
      <Head names={["Field", "Type", "Filled", "Values found"]} />
      <tbody>
        {schema.fields.map((f) => {
          const s = survey?.fields.find((x) => x.field === f.id);
          const filled = s?.filled ?? 0;
          // Values that no two items share are no spread worth looking at.
          const single = filled > 5 && s?.distinct_exact === true && s.distinct === filled;
          return (
            <tr key={f.id} className="border-b border-hair-2 align-top last:border-0">
              <td className="px-3 py-2 font-medium whitespace-nowrap">
                {f.name}
                {f.required && !f.read_only && (
                  <span className="font-bold text-clash" title="required">
                    {" "}
                    *
                  </span>
                )}
              </td>
              <td className="mono px-3 py-2 whitespace-nowrap text-ink-2">
                {typeWord[f.value_type]}
                {f.max_length ? ` ≤ ${f.max_length}` : ""}
                {f.format && f.format !== "plain" ? ` (${formatWord[f.format]})` : ""}
              </td>
              <td className="px-3 py-2 whitespace-nowrap">
                <Bar part={filled} whole={total} label={`filled ${percent(filled, total)}`} /> {percent(filled, total)}
              </td>
              <td className="px-3 py-2">
                <div className="flex flex-wrap gap-1.5">
                  {(single ? [] : (s?.values.slice(0, 12) ?? [])).map((v) => {
                    const person = f.value_type === "user" || f.value_type === "user_list";
                    const known = person ? users.map((u) => u.id) : f.allowed;
                    const off = !!known && !!v.value && !known.includes(v.value);
                    // Types of links are counted; items are not listed by them.
                    if (f.id.startsWith("@"))
                      return (
                        <span key={v.value} className="px-1.5 text-ink-2">
                          {v.value || "none"} <span className="mono text-ink-3">{v.count}</span>
                        </span>
                      );
                    return (
                      <button
                        key={v.value}
                        type="button"
                        onClick={() => open(f.id, v.value)}
                        title={off ? "not in the system's own list" : v.value}
                        className={`max-w-[280px] truncate rounded border px-1.5 hover:border-ink-3 ${off ? "border-clash bg-clash-wash text-clash" : v.value ? "border-hair" : "border-dashed border-hair text-ink-3"}`}
                      >
                        {(person && users.find((u) => u.id === v.value)?.name) || v.value || "empty"}{" "}
                        <span className="mono text-ink-3">{v.count}</span>
                      </button>
                    );
                  })}
                  {single && <span className="text-ink-3">{count(filled, "value")}, all different</span>}
                  {!!s && !single && s.values.length > 12 && (
                    <span className="text-ink-3">and {s.values.length - 12} more</span>
                  )}
                  {s && s.values.length === 0 && filled > 0 && (
                    <span className="text-ink-3">
                      {f.value_type === "text"
                        ? `more than ${s.distinct} different, longest ${count(s.longest, "character")}`
                        : typeWord[f.value_type]}
                    </span>
                  )}
                </div>
                <BeyondLimits uses={uses} kind={schema.kind} field={f.id} />
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

function Tree({ system, container, open }: { system: string; container: string; open: (path: string) => void }) {
  const folders = useQuery({
    queryKey: keys.folders(system, container),
    queryFn: () =>
      take(api.GET("/systems/{id}/containers/{container}/folders", { params: { path: { id: system, container } } })),
  });
  if (folders.isPending) return <Loading what="the folders" />;
  if (folders.error) return <Trouble error={folders.error} />;
  return (
    <ul className="border border-hair bg-sheet py-2">
      {folders.data.map((f) => (
        <li
          key={f.id}
          className="flex items-baseline gap-3 px-4 py-1"
          style={{ paddingLeft: 16 + (f.path.length - 1) * 22 }}
        >
          <span className={f.path.length === 1 ? "font-medium" : ""}>{f.title}</span>
          {f.items > 0 && (
            <button type="button" className="mono text-ink-3 hover:underline" onClick={() => open(f.path.join(" / "))}>
              {f.items}
            </button>
          )}
        </li>
      ))}
    </ul>
  );
}
