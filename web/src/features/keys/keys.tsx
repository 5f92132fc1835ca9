// Keys for pipelines: made here, shown once, revoked here.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ProblemError, take, type Schemas } from "@/api/client";
import { ago, exact } from "@/lib/format";
import { Button, Empty, Field, Loading, Trouble } from "@/ui/basics";

type May = Schemas["May"];

/** What a key may do, in words. */
const mayWord: Record<May, [string, string]> = {
  look: ["look", "read systems, routes, plans and proofs"],
  plan: ["plan", "check and survey systems, make dry runs and proofs; nothing is written outside"],
  apply: ["apply", "decide about changes and transfer them"],
  routes: ["routes", "make, change and import routes"],
};

export default function Keys() {
  const queries = useQueryClient();
  const [making, setMaking] = useState(false);
  const [made, setMade] = useState<Schemas["NewKeyAnswer"]>();
  const [error, setError] = useState<unknown>();
  const keys = useQuery({ queryKey: ["keys"], queryFn: () => take(api.GET("/keys")) });
  const refresh = () => void queries.invalidateQueries({ queryKey: ["keys"] });
  const revoke = async (id: string) => {
    setError(undefined);
    try {
      await take(api.DELETE("/keys/{id}", { params: { path: { id } } }));
      refresh();
    } catch (caught) {
      setError(caught);
    }
  };
  if (keys.isPending) return <Loading what="the keys" />;
  return (
    <div className="mx-auto w-full max-w-[1060px] flex-1 overflow-auto px-5 py-6">
      <div className="mb-4 flex items-center justify-between">
        <div>
          <h1 className="text-[16px] font-semibold">Keys</h1>
          <p className="text-ink-2">
            With a key the command line, or a pipeline, does what you tick here. Keep it like a password.
          </p>
        </div>
        {!making && (
          <Button go onClick={() => setMaking(true)}>
            Make a key
          </Button>
        )}
      </div>
      <Trouble error={keys.error ?? error} />
      {made && <Shown made={made} done={() => setMade(undefined)} />}
      {making && (
        <MakeKey
          close={() => setMaking(false)}
          made={(key) => {
            setMade(key);
            setMaking(false);
            refresh();
          }}
        />
      )}
      {keys.data?.length === 0 && !making && (
        <Empty title="No keys yet">A key lets a pipeline make dry runs, transfers and proofs without a person.</Empty>
      )}
      {!!keys.data?.length && (
        <table className="w-full border border-hair bg-sheet text-left">
          <thead className="text-[11px] text-ink-3">
            <tr>
              {["Name", "May", "Routes", "Made", "Last used", "Ends", ""].map((h) => (
                <th key={h} className="border-b border-hair px-3 py-1.5 font-normal">
                  {h}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {keys.data.map((k) => (
              <KeyRow key={k.id} k={k} revoke={() => void revoke(k.id)} />
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}

function KeyRow({ k, revoke }: { k: Schemas["KeyAnswer"]; revoke: () => void }) {
  const [sure, setSure] = useState(false);
  const over = !!k.expires_at && new Date(k.expires_at) <= new Date();
  const cell = "border-b border-hair-2 px-3 py-2 align-top";
  return (
    <tr className={k.revoked_at || over ? "text-ink-3" : ""}>
      <td className={cell}>{k.name}</td>
      <td className={cell}>{k.may.map((m) => mayWord[m][0]).join(", ")}</td>
      <td className={cell}>{k.routes ? k.routes.length.toLocaleString("en") : "any"}</td>
      <td className={cell} title={exact(k.made_at)}>
        {ago(k.made_at)} by {k.made_by}
      </td>
      <td className={cell} title={k.used_at ? exact(k.used_at) : undefined}>
        {k.used_at ? ago(k.used_at) : "never"}
      </td>
      <td className={cell}>
        {k.revoked_at ? `revoked ${ago(k.revoked_at)}` : k.expires_at ? exact(k.expires_at) : "when it is revoked"}
      </td>
      <td className={`${cell} text-right`}>
        {!k.revoked_at &&
          (sure ? (
            <Button danger onClick={revoke}>
              Revoke {k.name} for good
            </Button>
          ) : (
            <Button aria-label={`Revoke ${k.name}`} onClick={() => setSure(true)}>
              Revoke
            </Button>
          ))}
      </td>
    </tr>
  );
}

function Shown({ made, done }: { made: Schemas["NewKeyAnswer"]; done: () => void }) {
  const [copied, setCopied] = useState(false);
  return (
    <div role="status" className="mb-4 rounded-lg border border-ink bg-sheet p-4">
      <b className="font-semibold">The key is shown this once</b>
      <p className="text-ink-2">Hovrel keeps only its hash. Whoever has it may do what it allows.</p>
      <div className="mt-2 flex items-center gap-2">
        <input
          readOnly
          aria-label="The key"
          className="field mono w-full"
          value={made.key}
          onFocus={(e) => e.target.select()}
        />
        <Button onClick={() => void navigator.clipboard.writeText(made.key).then(() => setCopied(true))}>
          {copied ? "Copied" : "Copy"}
        </Button>
        <Button go onClick={done}>
          I have it
        </Button>
      </div>
    </div>
  );
}

function MakeKey({ close, made }: { close: () => void; made: (key: Schemas["NewKeyAnswer"]) => void }) {
  const routes = useQuery({ queryKey: ["routes"], queryFn: () => take(api.GET("/routes")) });
  const [name, setName] = useState("");
  const [may, setMay] = useState<May[]>(["look", "plan"]);
  const [only, setOnly] = useState<string[]>([]);
  const [days, setDays] = useState("90");
  const [error, setError] = useState<unknown>();
  const fault = (pointer: string) => (error instanceof ProblemError ? error.field(pointer) : undefined);
  const toggled = <T,>(list: T[], one: T) => (list.includes(one) ? list.filter((o) => o !== one) : [...list, one]);
  const make = async () => {
    setError(undefined);
    const expires_at = days ? new Date(Date.now() + Number(days) * 86_400_000).toISOString() : null;
    const body = { name, may, routes: only.length ? only : null, expires_at };
    try {
      made(await take(api.POST("/keys", { body })));
    } catch (caught) {
      setError(caught);
    }
  };
  return (
    <form
      aria-label="Make a key"
      className="mb-4 rounded-lg border border-hair bg-sheet p-4"
      onSubmit={(e) => {
        e.preventDefault();
        void make();
      }}
    >
      <Field label="Name" error={fault("/name")} hint="What it is for, e.g. nightly transfer">
        {(p) => (
          <input {...p} autoFocus className="field w-80" value={name} onChange={(e) => setName(e.target.value)} />
        )}
      </Field>
      <fieldset className="mb-3">
        <legend className="mb-1 font-medium">It may</legend>
        {(Object.keys(mayWord) as May[]).map((m) => (
          <label key={m} className="flex items-baseline gap-2">
            <input type="checkbox" checked={may.includes(m)} onChange={() => setMay(toggled(may, m))} />
            <b className="font-semibold">{mayWord[m][0]}</b>
            <span className="text-ink-2">{mayWord[m][1]}</span>
          </label>
        ))}
        {fault("/may") && <p className="text-clash">{fault("/may")}</p>}
      </fieldset>
      {!!routes.data?.length && (
        <fieldset className="mb-3">
          <legend className="mb-1 font-medium">On these routes only; none ticked: any route</legend>
          {routes.data.map((r) => (
            <label key={r.id} className="flex items-baseline gap-2">
              <input type="checkbox" checked={only.includes(r.id)} onChange={() => setOnly(toggled(only, r.id))} />
              {r.name}
            </label>
          ))}
          {fault("/routes") && <p className="text-clash">{fault("/routes")}</p>}
        </fieldset>
      )}
      <Field label="Ends" error={fault("/expires_at")}>
        {(p) => (
          <select {...p} className="field" value={days} onChange={(e) => setDays(e.target.value)}>
            <option value="7">in a week</option>
            <option value="90">in 90 days</option>
            <option value="365">in a year</option>
            <option value="">when it is revoked</option>
          </select>
        )}
      </Field>
      {error != null && !(error instanceof ProblemError && error.problem.fields?.length) && <Trouble error={error} />}
      <div className="flex gap-2">
        <Button go type="submit">
          Make the key
        </Button>
        <Button onClick={close}>Close</Button>
      </div>
    </form>
  );
}
