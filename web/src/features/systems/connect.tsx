// Connecting a system: what it is, where, the sign-in; checked step by step before it is saved.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { RadioGroup } from "radix-ui";
import { useState } from "react";
import { useWatch } from "react-hook-form";
import { useNavigate } from "react-router";
import * as z from "zod/mini";
import { api, take, type Schemas } from "@/api/client";
import { keys, refresh } from "@/api/keys";
import { useProblemForm } from "@/lib/form";
import { useTitle } from "@/lib/use-title";
import { Button, Field, Foot, Loading, Trouble } from "@/ui/basics";
import { Scroll } from "@/ui/scroll";
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

const asked = z.object({
  profile: z.string(),
  name: z.string(),
  address: z.string(),
  sign_in: z.record(z.string(), z.string()),
});

type System = z.infer<typeof asked>;

function Form({ profiles, presets }: Schemas["Profiles"]) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const [steps, setSteps] = useState<Schemas["CheckStepAnswer"][]>();
  const blank = (profile: string): System => {
    const asks = profiles.find((p) => p.profile === profile)?.asks ?? [];
    return { profile, name: "", address: "", sign_in: Object.fromEntries(asks.map((ask) => [ask.id, ""])) };
  };
  const { form, submit, trouble } = useProblemForm(asked, blank(profiles[0]?.profile ?? ""), async (body, by) => {
    setSteps(undefined);
    if (by !== "save") return setSteps(await take(api.POST("/systems/check", { body })));
    const made = await take(api.POST("/systems", { body }));
    await take(api.POST("/systems/{id}/check", { params: { path: { id: made.id } } }));
    await refresh.systems(queries);
    await navigate(`/systems/${made.id}`);
  });
  const { errors, isSubmitting: busy } = form.formState;
  const profile = useWatch({ control: form.control, name: "profile" });
  const chosen = profiles.find((p) => p.profile === profile);
  const preset = presets.find((p) => p.profile === profile);
  // What was checked is no longer what stands there.
  const field = (name: "name" | "address" | `sign_in.${string}`) =>
    form.register(name, { onChange: () => setSteps(undefined) });
  const failed = steps?.some((s) => s.state === "failed");
  return (
    <>
      <Scroll
        aria-label="Connect a system"
        className="mx-auto grid w-full max-w-[1080px] flex-1 grid-cols-[1fr_400px] content-start gap-10 px-5 py-6"
      >
        <form id="connect" noValidate onSubmit={submit}>
          <h1 className="mb-4 text-[16px] font-semibold">Connect a system</h1>
          <Kinds
            profiles={profiles}
            value={profile}
            onChange={(to) => {
              const { name, address } = form.getValues();
              form.reset({ ...blank(to), name, address });
              setSteps(undefined);
            }}
          />
          {preset && (
            <p className="mb-4 rounded-md bg-wash px-3 py-2">
              A simulated {preset.name} runs with this demo.{" "}
              <button
                type="button"
                className="font-medium underline"
                onClick={() => {
                  const { name, address, sign_in } = preset;
                  form.reset({ profile, name, address, sign_in });
                  setSteps(undefined);
                }}
              >
                Use the simulated {preset.name}
              </button>
            </p>
          )}
          <Field
            label="Name"
            error={errors.name?.message}
            hint="Shown here and stored on copied items (Oldstone:OS-2001). Can't be changed later."
          >
            {(p) => <input {...p} {...field("name")} className="field w-full" />}
          </Field>
          <Field label="Address" error={errors.address?.message} hint={chosen?.address}>
            {(p) => <input {...p} {...field("address")} className="field mono w-full" spellCheck={false} />}
          </Field>
          {chosen?.asks.map((ask) => (
            <Field
              key={ask.id}
              label={ask.label}
              error={errors.sign_in?.[ask.id]?.message}
              hint={ask.secret ? "Encrypted when saved; it can't be read again, not even here." : undefined}
            >
              {(p) => (
                <input
                  {...p}
                  {...field(`sign_in.${ask.id}`)}
                  type={ask.secret ? "password" : "text"}
                  autoComplete="off"
                  className="field w-full"
                />
              )}
            </Field>
          ))}
          <Trouble error={trouble} />
        </form>
        <section aria-live="polite" className="pt-10">
          {busy && (
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
      </Scroll>
      <Foot
        keys={
          failed ? <span className="text-clash">A step failed. It can be saved and corrected later.</span> : undefined
        }
      >
        <Button type="submit" form="connect" disabled={busy}>
          Check
        </Button>
        <Button go type="submit" form="connect" value="save" disabled={busy}>
          Save and open
        </Button>
      </Foot>
    </>
  );
}

type KindsProps = { profiles: Schemas["Profiles"]["profiles"]; value: string; onChange: (profile: string) => void };

/** Which system it is. */
function Kinds({ profiles, value, onChange }: KindsProps) {
  return (
    <RadioGroup.Root
      aria-label="Which system is it?"
      value={value}
      onValueChange={onChange}
      className="mb-4 grid grid-cols-2 gap-2"
    >
      <span aria-hidden className="col-span-2 font-medium">
        Which system is it?
      </span>
      {profiles.map((p) => (
        <RadioGroup.Item
          key={p.profile}
          value={p.profile}
          className="cursor-pointer rounded-lg border border-hair bg-sheet p-3 text-left data-[state=checked]:border-ink data-[state=checked]:shadow-[inset_0_0_0_.5px_var(--ink)]"
        >
          <b className="block font-semibold">{p.title}</b>
          <span className="text-ink-2">{p.about}</span>
        </RadioGroup.Item>
      ))}
    </RadioGroup.Root>
  );
}
