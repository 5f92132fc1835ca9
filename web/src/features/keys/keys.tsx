// Access keys for pipelines: created here, shown once, revoked here.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type Schemas } from "@/api/client";
import { keys } from "@/api/keys";
import { ago, exact } from "@/lib/format";
import { count } from "@/lib/words";
import { useTitle } from "@/lib/use-title";
import { Button, Empty, Loading, Trouble } from "@/ui/basics";
import { Ask } from "@/ui/dialog";
import { Scroll } from "@/ui/scroll";
import { MakeKey } from "./make-key";
import { sentence } from "./permissions";

export default function Keys() {
  useTitle("Access keys");
  const queries = useQueryClient();
  const [making, setMaking] = useState(false);
  const [made, setMade] = useState<Schemas["NewKeyAnswer"]>();
  const [error, setError] = useState<unknown>();
  const list = useQuery({ queryKey: keys.accessKeys, queryFn: () => take(api.GET("/keys")) });
  const again = () => void queries.invalidateQueries({ queryKey: keys.accessKeys });
  const revoke = async (id: string) => {
    setError(undefined);
    try {
      await take(api.DELETE("/keys/{id}", { params: { path: { id } } }));
      again();
    } catch (caught) {
      setError(caught);
    }
  };
  if (list.isPending) return <Loading what="the access keys" />;
  return (
    <Scroll aria-label="Access keys" className="mx-auto w-full max-w-[1060px] flex-1 px-5 py-6">
      <div className="mb-4 flex items-center justify-between">
        <div>
          <h1 className="text-[16px] font-semibold">Access keys</h1>
          <p className="text-ink-2">
            With an access key the command line, or a pipeline, can act for you. Keep it like a password.
          </p>
        </div>
        {!making && (
          <Button go onClick={() => setMaking(true)}>
            Create a key
          </Button>
        )}
      </div>
      <Trouble error={list.error ?? error} />
      {made && <Shown made={made} done={() => setMade(undefined)} />}
      {making && (
        <MakeKey
          close={() => setMaking(false)}
          made={(key) => {
            setMade(key);
            setMaking(false);
            again();
          }}
        />
      )}
      {list.data?.length === 0 && !making && (
        <Empty title="No access keys yet">An access key lets a pipeline run dry runs, transfers and proofs.</Empty>
      )}
      {!!list.data?.length && (
        <Scroll aria-label="Keys">
          <table className="w-full border border-hair bg-sheet text-left">
            <thead className="text-[11px] text-ink-3">
              <tr>
                {["Name", "Permissions", "Routes", "Created", "Last used", "Expires"].map((h) => (
                  <th key={h} className="border-b border-hair px-3 py-1.5 font-normal">
                    {h}
                  </th>
                ))}
                <th className="border-b border-hair">
                  <span className="sr-only">Action</span>
                </th>
              </tr>
            </thead>
            <tbody>
              {list.data.map((k) => (
                <KeyRow key={k.id} k={k} revoke={() => void revoke(k.id)} />
              ))}
            </tbody>
          </table>
        </Scroll>
      )}
    </Scroll>
  );
}

function KeyRow({ k, revoke }: { k: Schemas["KeyAnswer"]; revoke: () => void }) {
  const [asking, setAsking] = useState(false);
  const over = !!k.expires_at && new Date(k.expires_at) <= new Date();
  const cell = "border-b border-hair-2 px-3 py-2 align-top";
  return (
    <tr className={k.revoked_at || over ? "text-ink-3" : ""}>
      <td className={cell}>{k.name}</td>
      <td className={cell}>{sentence(k.may)}</td>
      <td className={cell}>{k.routes ? count(k.routes.length, "route") : "all"}</td>
      <td className={cell} title={exact(k.made_at)}>
        {ago(k.made_at)} by {k.made_by}
      </td>
      <td className={cell} title={k.used_at ? exact(k.used_at) : undefined}>
        {k.used_at ? ago(k.used_at) : "never"}
      </td>
      <td className={cell}>
        {k.revoked_at ? `revoked ${ago(k.revoked_at)}` : k.expires_at ? exact(k.expires_at) : "only when it is revoked"}
      </td>
      <td className={`${cell} text-right`}>
        {!k.revoked_at && (
          <>
            <Button aria-haspopup="dialog" aria-label={`Revoke ${k.name}`} onClick={() => setAsking(true)}>
              Revoke
            </Button>
            <Ask
              title={`Revoke ${k.name}?`}
              open={asking}
              onOpenChange={setAsking}
              keep="Keep the key"
              does="Revoke"
              onDo={() => {
                setAsking(false);
                revoke();
              }}
            >
              Everything that uses this key is refused from now on. A revoked key can’t be restored.
            </Ask>
          </>
        )}
      </td>
    </tr>
  );
}

function Shown({ made, done }: { made: Schemas["NewKeyAnswer"]; done: () => void }) {
  const [copied, setCopied] = useState(false);
  return (
    <div role="status" className="mb-4 rounded-lg border border-ink bg-sheet p-4">
      <b className="font-semibold">The key is shown this once</b>
      <p className="text-ink-2">Hovrel keeps only its hash. Anyone who has it can do what it allows.</p>
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
