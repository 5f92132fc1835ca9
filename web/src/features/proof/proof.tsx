// The Proof stop: both ends read again and compared, kind by kind and field by field.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { ownName } from "@/lib/lanes";
import { api, take, type Schemas } from "@/api/client";
import { failureOf, over, useJob } from "@/api/jobs";
import { ago, bytes, exact, percent } from "@/lib/format";
import { absenceWord, causeWord, count, kindsWord, kindWord, lossWord } from "@/lib/words";
import { Bar, Button, Empty, Foot, Loading, Pill, Trouble } from "@/ui/basics";
import { StaysAt } from "@/ui/pieces";
import { Disc, EndMark } from "@/ui/disc";
import { useDraft } from "../route/draft";
import { Reading } from "../route/reading";
import { mainLane } from "../route/lanes-bar";
import { fieldName, useSchema } from "../route/use-schema";
import { targetWord } from "../rules/rule-words";
import { valueText } from "../systems/value";
import { doors } from "./doors";

const hanging = ["@attachments", "@links", "@comments", "@history"];

type ProofAnswer = Schemas["ProofAnswer"];
type Files = Schemas["FilesBody"];

/** Files of a sample whose bytes are read. */
const SAMPLE = 50;

/** What a lane carries, with its name where that does not say which one it is. */
function laneWord(lane: Schemas["LaneProof"], lanes: Schemas["LaneProof"][]) {
  const name = ownName(lane, lanes, (of) => of.lane);
  return name ? `${kindWord[lane.left_kind]} · ${name}` : kindWord[lane.left_kind];
}

export default function Proof() {
  const { route } = useDraft();
  const queries = useQueryClient();
  const [error, setError] = useState<unknown>();
  const state = useQuery({
    queryKey: ["proof", route.id],
    queryFn: () => take(api.GET("/routes/{id}/proofs", { params: { path: { id: route.id } } })),
  });
  const { job, lost } = useJob(state.data?.job?.id, () => void queries.invalidateQueries());
  const prove = async (files: Files) => {
    setError(undefined);
    try {
      await take(api.POST("/routes/{id}/proofs", { params: { path: { id: route.id } }, body: { files } }));
      await state.refetch();
    } catch (caught) {
      setError(caught);
    }
  };
  if (state.isPending) return <Loading what="the proof" />;
  if (state.error)
    return (
      <div className="p-8">
        <Trouble error={state.error} />
      </div>
    );
  const running = job && !over(job);
  if (running) {
    return (
      <Empty title="Both ends are read again">
        <Reading job={job} lost={lost} />
      </Empty>
    );
  }
  const failed = failureOf(job);
  if (!state.data.proof) {
    return (
      <Empty title="Nothing is proved yet" action={<Prove prove={(files) => void prove(files)}>Prove it</Prove>}>
        A proof reads both ends again and compares them, pair by pair and field by field. It trusts nothing that was
        noted before.
        <Trouble error={error ?? failed} />
      </Empty>
    );
  }
  return <Shown proof={state.data.proof} prove={(files) => void prove(files)} error={error ?? failed} />;
}

/** The button that proves, beside how files are compared. */
function Prove({ prove, children }: { prove: (files: Files) => void; children: string }) {
  const [files, setFiles] = useState("none");
  return (
    <span className="inline-flex items-center gap-2">
      <select
        aria-label="How files are compared"
        className="field"
        value={files}
        onChange={(e) => setFiles(e.target.value)}
      >
        <option value="none">Files by stated digest</option>
        <option value="sample">Read {SAMPLE} files at both ends</option>
        <option value="all">Read every file at both ends</option>
      </select>
      <Button go onClick={() => prove(files === "sample" ? { sample: SAMPLE } : files === "all" ? "all" : "none")}>
        {children}
      </Button>
    </span>
  );
}

function Shown({ proof, prove, error }: { proof: ProofAnswer; prove: (files: Files) => void; error: unknown }) {
  const { route } = useDraft();
  const schema = useSchema(route).data;
  const [query, setQuery] = useSearchParams();
  const lane = proof.lanes.find((l) => l.lane === query.get("lane")) ?? mainLane(proof.lanes);
  const field = query.get("field") ?? undefined;
  return (
    <>
      <div className="flex-1 overflow-auto px-5 py-5">
        <Headline proof={proof} />
        <table className="mb-5 w-full border border-hair bg-sheet">
          <thead>
            <tr className="text-[11px] text-ink-3">
              <th className="border-b border-hair px-4 py-1.5 text-left font-normal">Kind</th>
              <th className="border-b border-hair px-3 text-right font-normal">
                <span className="inline-flex items-center gap-1">
                  <EndMark end="left" />
                  in scope at {proof.left_system}
                </span>
              </th>
              <th className="spine-cell w-[110px] border-b border-hair font-normal">
                <span className="bg-sheet px-1">paired</span>
              </th>
              <th className="border-b border-hair px-3 text-left font-normal">
                <span className="inline-flex items-center gap-1">
                  in scope at {proof.right_system}
                  <EndMark end="right" />
                </span>
              </th>
              <th className="border-b border-hair px-3 text-right font-normal">without a counterpart</th>
              <th className="border-b border-hair px-3 text-right font-normal">fields that differ</th>
              {hanging.map((id) => (
                <th key={id} className="border-b border-hair px-3 text-right font-normal">
                  {targetWord(id)}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {proof.lanes.map((l) => (
              <tr key={l.lane} className="border-b border-hair-2 last:border-0">
                <td className="px-4 py-2 font-medium">{laneWord(l, proof.lanes)}</td>
                <td className="px-3 text-right">{l.left_count}</td>
                <td className="spine-cell text-center">
                  <span className="bg-sheet px-1 font-semibold">{l.paired}</span>
                </td>
                <td className="px-3">{l.right_count}</td>
                <td className="px-3 text-right">
                  <button
                    type="button"
                    disabled={!l.missing.length}
                    className="enabled:underline"
                    onClick={() => setQuery({ lane: l.lane })}
                  >
                    {l.missing.length}
                  </button>
                </td>
                <td className="px-3 text-right">
                  <button
                    type="button"
                    disabled={!l.differences.length}
                    className="enabled:underline"
                    onClick={() => setQuery({ lane: l.lane })}
                  >
                    {l.differences.length}
                  </button>
                </td>
                {hanging.map((id) => (
                  <Pieces key={id} of={l.pieces?.find((p) => p.field === id)} unexplained={unexplained(l, id) > 0} />
                ))}
              </tr>
            ))}
          </tbody>
        </table>
        <div className="-mt-3 mb-5 text-[11px] text-ink-3">
          <p>
            Files by the digest that each system states, links by where they lead, comments and history by what they
            say: those of the left that are at the right, and, with a plus, those that only the right has.
          </p>
          {proof.lanes.map((l) => (
            <Besides key={l.lane} lane={l} />
          ))}
        </div>
        <Unforeseen list={proof.unforeseen} schema={schema} />
        <div className="mb-3 flex flex-wrap gap-2">
          {proof.lanes.map((l) => (
            <Pill key={l.lane} on={l === lane} onClick={() => setQuery({ lane: l.lane })}>
              {laneWord(l, proof.lanes)}
            </Pill>
          ))}
        </div>
        {lane && (
          <div className="grid grid-cols-[360px_1fr] gap-5">
            <section aria-label="Agreement by field">
              <table className="w-full border border-hair bg-sheet">
                <thead>
                  <tr className="text-left text-[11px] text-ink-3">
                    <th className="border-b border-hair px-3 py-1.5 font-normal">Field</th>
                    <th className="border-b border-hair font-normal">Agrees</th>
                    <th className="border-b border-hair px-3 text-right font-normal">Settled</th>
                    <th className="border-b border-hair px-3 text-right font-normal">With loss</th>
                  </tr>
                </thead>
                <tbody>
                  {lane.fields.map((f) => (
                    <tr
                      key={f.field}
                      className={`border-b border-hair-2 last:border-0 ${field === f.field ? "bg-wash" : ""}`}
                    >
                      <td className="px-3 py-1.5">
                        <button
                          type="button"
                          className="hover:underline"
                          onClick={() => setQuery({ lane: lane.lane, field: f.field })}
                        >
                          {fieldName(schema, lane.right_kind, f.field)}
                        </button>
                      </td>
                      <td className="whitespace-nowrap">
                        <Bar
                          part={f.agree}
                          whole={f.compared}
                          tone={
                            unexplained(lane, f.field) > 0
                              ? "var(--clash)"
                              : f.agree + (f.settled ?? 0) === f.compared
                                ? "var(--ok)"
                                : "var(--ink-3)"
                          }
                          label={`agrees ${percent(f.agree, f.compared)}`}
                        />{" "}
                        {f.agree} of {f.compared}
                      </td>
                      <td
                        className="px-3 text-right text-ink-3"
                        title="Differ as somebody decided, or as the right made it when it was saved"
                      >
                        {f.settled ?? 0}
                      </td>
                      <td className={`px-3 text-right ${f.with_loss ? "text-loss" : "text-ink-3"}`}>{f.with_loss}</td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </section>
            <section aria-label="What differs" className="min-w-0">
              <Differences lane={lane} field={field} schema={schema} />
            </section>
          </div>
        )}
        <Trouble error={error} />
      </div>
      <Foot keys={<span>A proof is kept with its time and can be handed on.</span>}>
        <SaveAs route={route.id} proof={proof.id} />
        <Prove prove={prove}>Prove it again</Prove>
      </Foot>
    </>
  );
}

/** Differences of a field for which there is no reason. */
const unexplained = (lane: Schemas["LaneProof"], field: string) =>
  lane.differences.filter((d) => d.field === field && d.cause === "unexplained").length;

/** Three figures of different weight, what waits with a way to it, and where the losses stand. */
function Headline({ proof }: { proof: ProofAnswer }) {
  const h = proof.headline;
  const declared = proof.lanes.reduce((n, l) => n + l.losses.length, 0);
  const odd = h.unexplained_fields + h.unexplained_items;
  return (
    <section
      aria-label="What it comes to"
      className={`mb-4 rounded-lg border p-4 ${odd > 0 ? "border-clash bg-clash-wash" : "border-hair bg-sheet"}`}
    >
      <h2 className="mb-2 text-[16px] font-semibold">{grouped(h.told)}</h2>
      <div className="grid grid-cols-[auto_1fr] items-start gap-x-10">
        <dl className="flex gap-x-10">
          <Weight name="fields agree" figure={h.agrees} tone="text-ok" />
          <Weight name="items wait for you" figure={h.waits_items} tone="" />
          <Weight name="differences unexplained" figure={odd} tone={odd > 0 ? "text-clash" : "text-ink-3"} />
        </dl>
        {h.waits.length > 0 && (
          <ul aria-label="What waits">
            {h.waits.flatMap(doors).map((d) => (
              <li key={d.text}>
                <Link to={d.to} className="underline decoration-hair underline-offset-3 hover:decoration-ink">
                  {d.text}
                </Link>
              </li>
            ))}
          </ul>
        )}
      </div>
      <p className="mt-2 text-ink-2">
        Read again at both ends <span title={exact(proof.at)}>{ago(proof.at)}</span> ·{" "}
        {count(declared, "declared loss", "declared losses")} of what was compared · ledger:{" "}
        {count(proof.losses_foreseen + proof.losses_unforeseen, "loss", "losses")},{" "}
        {proof.losses_unforeseen.toLocaleString("en")} not foreseen
      </p>
    </section>
  );
}

/** The numbers in a sentence as they are written everywhere else. */
const grouped = (sentence: string) => sentence.replaceAll(/\d{4,}/g, (n) => Number(n).toLocaleString("en"));

function Weight({ name, figure, tone }: { name: string; figure: number; tone: string }) {
  return (
    <div className={`flex flex-col-reverse justify-end ${tone}`}>
      <dt>{name}</dt>
      <dd className="text-[22px] leading-tight font-semibold">{figure.toLocaleString("en")}</dd>
    </div>
  );
}

/** What is compared beside fields: the order of items, and files that were read. */
function Besides({ lane }: { lane: Schemas["LaneProof"] }) {
  const { order, files } = lane;
  const lines: string[] = [];
  if (order && order.folders > 0)
    lines.push(
      `in ${order.same.toLocaleString("en")} of ${count(order.folders, "folder")} they stand in the same order${order.carried ? "" : "; the order is not carried"}`,
    );
  if (files)
    lines.push(
      `${files.read.toLocaleString("en")} of ${count(files.of, "file")} read at both ends (${bytes(files.bytes)}), ${files.same.toLocaleString("en")} the same byte for byte${files.not_read.length ? `, ${files.not_read.length} could not be read` : ""}`,
    );
  if (lane.let_go) lines.push(`${count(lane.let_go, "pair")} let go`);
  if (lines.length === 0) return null;
  const word = kindsWord(lane.left_kind);
  return (
    <p>
      {word.charAt(0).toUpperCase() + word.slice(1)}: {lines.join(" · ")}
    </p>
  );
}

/** The proof as files to be handed on. */
function SaveAs({ route, proof }: { route: string; proof: string }) {
  const key = useQuery({
    queryKey: ["signing-key"],
    queryFn: () => take(api.GET("/signing-key")),
    staleTime: Infinity,
  });
  const forms = [
    ["html", "Page", "A page with everything in it, to read or print"],
    ["xlsx", "Spreadsheet", "Counts, fields, differences and losses, a sheet each"],
    ["json", "Signed file", `Signed with the key ${key.data?.fingerprint ?? "…"}; hovrel proof verify checks it`],
  ] as const;
  return (
    <nav aria-label="Save the proof" className="flex items-center gap-3">
      <span className="text-ink-2">Save as</span>
      {forms.map(([form, name, help]) => (
        <a
          key={form}
          href={`/api/v1/routes/${route}/proofs/${proof}/files/${form}`}
          download
          title={help}
          className="underline decoration-hair underline-offset-3 hover:decoration-ink"
        >
          {name}
        </a>
      ))}
    </nav>
  );
}

/** Losses that stand, and that no plan had shown before they happened. */
function Unforeseen({ list, schema }: { list: Schemas["LedgerLine"][]; schema?: Schemas["RouteSchema"] }) {
  if (list.length === 0) return null;
  return (
    <section aria-label="Not foreseen" className="mb-5 border border-hair bg-sheet">
      <h3 className="flex items-center gap-2 border-b border-hair px-4 py-2 font-semibold">
        <Disc shape="loss" label="" />
        Not foreseen by any plan: {count(list.length, "loss", "losses")}
      </h3>
      <ul className="max-h-[200px] divide-y divide-hair-2 overflow-auto" tabIndex={0} aria-label="Losses not foreseen">
        {list.slice(0, 300).map((l, n) => (
          <li key={n} className="grid grid-cols-[150px_1fr] gap-3 px-4 py-1.5">
            <span className="mono truncate text-ink-2">
              {l.left_key} · {l.right_key}
            </span>
            <span className="min-w-0">
              <span className="break-words">
                {fieldName(schema, undefined, l.loss.field)}: {l.loss.before} <span className="text-ink-3">became</span>{" "}
                {l.loss.after || "nothing"}
              </span>
              <span className="block text-[11px] text-ink-3">{l.loss.why}</span>
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

function Pieces({ of, unexplained }: { of?: Schemas["PieceProof"]; unexplained: boolean }) {
  if (!of || of.expected + of.only_right === 0) return <td className="px-3 text-right text-ink-3">—</td>;
  return (
    <td className={`px-3 text-right ${unexplained ? "text-clash" : ""}`}>
      {of.there} of {of.expected}
      {of.only_right > 0 && <span className="text-ink-3"> +{of.only_right}</span>}
    </td>
  );
}

function Differences({
  lane,
  field,
  schema,
}: {
  lane: Schemas["LaneProof"];
  field?: string;
  schema?: Schemas["RouteSchema"];
}) {
  const name = (id: string) => fieldName(schema, lane.right_kind, id);
  const users = schema?.right?.catalogue.users ?? [];
  const differences = lane.differences.filter((d) => !field || d.field === field);
  const losses = lane.losses.filter((l) => !field || l.loss.field === field);
  const text = (v: Schemas["Value"]) => valueText(v, users) || "empty";
  return (
    <>
      {differences.length === 0 && (field || (lane.missing.length === 0 && !lane.absent?.length)) && (
        <p className="mb-3 rounded-lg border border-hair bg-sheet p-4 text-ok">
          {field ? "This field agrees in every pair." : "Every pair agrees in every field."}
        </p>
      )}
      {differences.length > 0 && (
        <>
          <h3 className="mb-1.5 font-semibold">{count(differences.length, "field")} differ</h3>
          <ul
            aria-label="Differences"
            className="mb-4 max-h-[360px] divide-y divide-hair-2 overflow-auto border border-hair bg-sheet"
            tabIndex={0}
          >
            {differences.slice(0, 300).map((d, n) => (
              <li key={n} className="px-3 py-2">
                <p className="truncate">
                  <span className="mono text-ink-2">
                    {d.left_key} · {d.right_key}
                  </span>{" "}
                  {d.title} <b className="font-semibold">{name(d.field)}</b>
                </p>
                <p className="grid grid-cols-2 gap-3">
                  <span className="truncate border-l-[3px] border-end-left pl-2" title={text(d.expected)}>
                    {text(d.expected)}
                  </span>
                  <span className="truncate border-r-[3px] border-end-right pr-2" title={text(d.found)}>
                    {text(d.found)}
                  </span>
                </p>
                <p className={d.cause === "unexplained" ? "text-clash" : "text-ink-3"}>{causeWord[d.cause]}</p>
              </li>
            ))}
          </ul>
        </>
      )}
      {lane.missing.length > 0 && !field && (
        <>
          <h3 className="mb-1.5 font-semibold">{count(lane.missing.length, "item")} without a counterpart</h3>
          <ul
            className="mb-4 max-h-[200px] overflow-auto border border-hair bg-sheet"
            tabIndex={0}
            aria-label="Missing"
          >
            {lane.missing.map((m) => (
              <li key={m.left_id} className="truncate border-b border-hair-2 px-3 py-1 last:border-0">
                <span className="mono text-ink-2">{m.left_key}</span> {m.title}
                {m.cause && (
                  <span className={m.cause === "unexplained" ? "text-clash" : "text-ink-3"}>
                    {" "}
                    · {causeWord[m.cause]}
                  </span>
                )}
              </li>
            ))}
          </ul>
        </>
      )}
      {!!lane.absent?.length && !field && (
        <>
          <h3 className="mb-1.5 font-semibold">{count(lane.absent.length, "pair")} of which an item is not there</h3>
          <ul
            className="mb-4 max-h-[200px] overflow-auto border border-hair bg-sheet"
            tabIndex={0}
            aria-label="Not there"
          >
            {lane.absent.map((a) => (
              <li
                key={`${a.left_key} ${a.right_key} ${String(a.at_left)}`}
                className="truncate border-b border-hair-2 px-3 py-1 last:border-0"
              >
                <span className="mono text-ink-2">
                  {a.left_key} · {a.right_key}
                </span>{" "}
                {a.title}{" "}
                <span className="text-ink-3">
                  · {absenceWord[a.what]} at the {a.at_left ? "left" : "right"}
                </span>
              </li>
            ))}
          </ul>
        </>
      )}
      {!!lane.files?.not_read.length && !field && (
        <>
          <h3 className="mb-1.5 font-semibold">{count(lane.files.not_read.length, "file")} that could not be read</h3>
          <ul
            className="mb-4 max-h-[200px] overflow-auto border border-hair bg-sheet"
            tabIndex={0}
            aria-label="Files not read"
          >
            {lane.files.not_read.map((f) => (
              <li
                key={`${f.left_key} ${f.name} ${String(f.at_left)}`}
                className="border-b border-hair-2 px-3 py-1 last:border-0"
              >
                <span className="mono text-ink-2">{f.at_left ? f.left_key : f.right_key}</span> {f.name}{" "}
                <span className="text-ink-3">· {f.why}</span>
              </li>
            ))}
          </ul>
        </>
      )}
      {losses.length > 0 && (
        <>
          <h3 className="mb-1.5 flex items-center gap-2 font-semibold">
            <Disc shape="loss" label="" />
            {count(losses.length, "declared loss", "declared losses")}
          </h3>
          <ul aria-label="Losses" className="max-h-[300px] overflow-auto border border-hair bg-sheet" tabIndex={0}>
            {losses.slice(0, 300).map((l, n) => (
              <li key={n} className="truncate border-b border-hair-2 px-3 py-1 last:border-0" title={l.loss.before}>
                <span className="mono text-ink-2">{l.left_key}</span> {name(l.loss.field)}:{" "}
                <span className="text-loss">{lossWord[l.loss.kind]}</span>{" "}
                <span className="text-ink-3">{l.loss.before}</span>
                <StaysAt after={l.loss.after} />
              </li>
            ))}
          </ul>
        </>
      )}
    </>
  );
}
