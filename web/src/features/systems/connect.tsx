// Connecting a system: what it is, where, the sign-in; checked step by step before it is saved.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, ProblemError, take, type Schemas } from "@/api/client";
import { keys, refresh } from "@/api/keys";
import { useTitle } from "@/lib/use-title";
import { Button, Field, Foot, Loading, Trouble } from "@/ui/basics";
import { CheckList } from "./check-list";

export default function ConnectSystem() {
  useTitle("Connect a system");
  const profiles = useQuery({ queryKey: keys.profiles, queryFn: () => take(api.GET("/profiles")) });
  if (profiles.isPending) return <Loading what="what can be connected" />;
  if (profiles.error)
    return (
      <div className="p-8">
        <Trouble error={profiles.error} retry={() => void profiles.refetch()} />
      </div>
    );
  return <Form {...profiles.data} />;
}

function Form({ profiles, presets }: Schemas["Profiles"]) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const [profile, setProfile] = useState(profiles[0]?.profile ?? "");
  const [name, setName] = useState("");
  const [address, setAddress] = useState("");
  const [signIn, setSignIn] = useState<Record<string, string>>({});
  const [steps, setSteps] = useState<Schemas["CheckStepAnswer"][]>();
  const [error, setError] = useState<unknown>();
  const [busy, setBusy] = useState<"" | "check" | "save">("");
  const chosen = profiles.find((p) => p.profile === profile);
  const preset = presets.find((p) => p.profile === profile);
  const fault = (pointer: string) => (error instanceof ProblemError ? error.field(pointer) : undefined);
  const body = { name, profile, address, sign_in: signIn };
  const changed = () => setSteps(undefined);
  const act = async (what: "check" | "save", work: () => Promise<void>) => {
    setBusy(what);
    setError(undefined);
    try {
      await work();
    } catch (caught) {
      setError(caught);
    } finally {
      setBusy("");
    }
  };
  const check = () => act("check", async () => setSteps(await take(api.POST("/systems/check", { body }))));
  const save = () =>
    act("save", async () => {
      const made = await take(api.POST("/systems", { body }));
      await take(api.POST("/systems/{id}/check", { params: { path: { id: made.id } } }));
      await refresh.systems(queries);
      await navigate(`/systems/${made.id}`);
    });
  const failed = steps?.some((s) => s.state === "failed");
  return (
    <>
      <div className="mx-auto grid w-full max-w-[1080px] flex-1 grid-cols-[1fr_400px] content-start gap-10 overflow-auto px-5 py-6">
        <form
          id="connect"
          onSubmit={(e) => {
            e.preventDefault();
            void check();
          }}
        >
          <h1 className="mb-4 text-[16px] font-semibold">Connect a system</h1>
          <fieldset className="mb-4">
            <legend className="mb-1 font-medium">Which system is it?</legend>
            <div className="grid grid-cols-2 gap-2">
              {profiles.map((p) => (
                <label
                  key={p.profile}
                  className={`cursor-pointer rounded-lg border bg-sheet p-3 has-focus-visible:outline-2 has-focus-visible:outline-[var(--focus)] ${p.profile === profile ? "border-ink" : "border-hair"}`}
                >
                  <input
                    type="radio"
                    name="profile"
                    className="sr-only"
                    checked={p.profile === profile}
                    onChange={() => {
                      setProfile(p.profile);
                      setSignIn({});
                      changed();
                    }}
                  />
                  <b className="block font-semibold">{p.title}</b>
                  <span className="text-ink-2">{p.about}</span>
                </label>
              ))}
            </div>
          </fieldset>
          {preset && (
            <p className="mb-4 rounded-md bg-wash px-3 py-2">
              A simulated {preset.name} runs with this demo.{" "}
              <button
                type="button"
                className="font-medium underline"
                onClick={() => {
                  setName(preset.name);
                  setAddress(preset.address);
                  setSignIn(preset.sign_in);
                  changed();
                }}
              >
                Use the simulated {preset.name}
              </button>
            </p>
          )}
          <Field
            label="Name"
            error={fault("/name")}
            hint="Shown here and stored on copied items (Oldstone:OS-2001). Can't be changed later."
          >
            {(p) => <input {...p} className="field w-full" value={name} onChange={(e) => setName(e.target.value)} />}
          </Field>
          <Field label="Address" error={fault("/address")} hint={chosen?.address}>
            {(p) => (
              <input
                {...p}
                className="field mono w-full"
                value={address}
                spellCheck={false}
                onChange={(e) => {
                  setAddress(e.target.value);
                  changed();
                }}
              />
            )}
          </Field>
          {chosen?.asks.map((ask) => (
            <Field
              key={ask.id}
              label={ask.label}
              error={fault(`/sign_in/${ask.id}`)}
              hint={ask.secret ? "Encrypted when saved; it can't be read again, not even here." : undefined}
            >
              {(p) => (
                <input
                  {...p}
                  type={ask.secret ? "password" : "text"}
                  autoComplete="off"
                  className="field w-full"
                  value={signIn[ask.id] ?? ""}
                  onChange={(e) => {
                    setSignIn({ ...signIn, [ask.id]: e.target.value });
                    changed();
                  }}
                />
              )}
            </Field>
          ))}
          {error != null && !(error instanceof ProblemError && error.problem.fields?.length) && (
            <Trouble error={error} />
          )}
        </form>
        <section aria-live="polite" className="pt-10">
          {busy === "check" && (
            <p role="status" className="text-ink-3">
              Checking, step by step…
            </p>
          )}
          {!busy && !steps && (
            <p className="rounded-lg border border-dashed border-hair p-5 text-ink-2">
              The check appears here: whether the address answers, the sign-in is accepted, clocks agree, writing is
              allowed, and which projects there are.
            </p>
          )}
          {!busy && steps && (
            <div className="rounded-lg border border-hair bg-sheet p-5">
              <CheckList steps={steps} />
            </div>
          )}
        </section>
      </div>
      <Foot
        keys={
          failed ? <span className="text-clash">A step failed. It can be saved and corrected later.</span> : undefined
        }
      >
        <Button type="submit" form="connect" disabled={!!busy}>
          Check
        </Button>
        <Button go disabled={!!busy} onClick={() => void save()}>
          Save and open
        </Button>
      </Foot>
    </>
  );
}
