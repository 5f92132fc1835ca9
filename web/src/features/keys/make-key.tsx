// Creating an access key: its name, its permissions, the routes that it is for, and when it expires.
import { useQuery } from "@tanstack/react-query";
import { Controller } from "react-hook-form";
import * as z from "zod/mini";
import { api, take, type Schemas } from "@/api/client";
import { keys } from "@/api/keys";
import { useProblemForm } from "@/lib/form";
import { Button, CheckLine, Field, Trouble } from "@/ui/basics";
import { Select } from "@/ui/select";
import { permissions, sentence, type May } from "./permissions";

const schema = z.object({
  name: z
    .string()
    .check(z.trim(), z.minLength(1, "A name is needed."), z.maxLength(120, "A name has at most 120 characters.")),
  may: z.array(z.custom<May>()).check(z.minLength(1, "Choose at least one permission.")),
  routes: z.array(z.string()),
  expires_at: z.string(),
});

const toggled = <T,>(list: T[], one: T) => (list.includes(one) ? list.filter((o) => o !== one) : [...list, one]);

export function MakeKey({ close, made }: { close: () => void; made: (key: Schemas["NewKeyAnswer"]) => void }) {
  const routes = useQuery({ queryKey: keys.routes, queryFn: () => take(api.GET("/routes")) });
  const { form, submit, trouble } = useProblemForm(
    schema,
    { name: "", may: ["look", "dry_run"], routes: [], expires_at: "90" },
    async (v) => {
      const days = Number(v.expires_at);
      const expires_at = days ? new Date(Date.now() + days * 86_400_000).toISOString() : null;
      const body = { name: v.name, may: v.may, routes: v.routes.length ? v.routes : null, expires_at };
      made(await take(api.POST("/keys", { body })));
    },
  );
  const { errors, isSubmitting } = form.formState;
  return (
    <form aria-label="Create a key" className="mb-4 rounded-lg border border-hair bg-sheet p-4" onSubmit={submit}>
      <Field label="Name" error={errors.name?.message} hint="What it is for, e.g. nightly transfer">
        {(p) => <input {...p} {...form.register("name")} autoFocus className="field w-80 max-w-full" />}
      </Field>
      <Controller
        name="may"
        control={form.control}
        render={({ field }) => (
          <fieldset className="mb-3">
            <legend className="mb-1 font-medium">Permissions</legend>
            {(Object.keys(permissions) as May[]).map((m) => (
              <CheckLine
                key={m}
                checked={field.value.includes(m)}
                onChange={() => field.onChange(toggled(field.value, m))}
              >
                <b className="font-semibold">{permissions[m].name}</b>{" "}
                <span className="text-ink-2">{permissions[m].lets}</span>
              </CheckLine>
            ))}
            <p role="status" className={`mt-1 ${errors.may ? "text-clash" : "text-ink-2"}`}>
              {errors.may?.message ?? sentence(field.value)}
            </p>
          </fieldset>
        )}
      />
      {!!routes.data?.length && (
        <Controller
          name="routes"
          control={form.control}
          render={({ field }) => (
            <fieldset className="mb-3">
              <legend className="mb-1 font-medium">On these routes; none ticked means all</legend>
              {routes.data.map((r) => (
                <CheckLine
                  key={r.id}
                  checked={field.value.includes(r.id)}
                  onChange={() => field.onChange(toggled(field.value, r.id))}
                >
                  {r.name}
                </CheckLine>
              ))}
              {errors.routes && <p className="text-clash">{errors.routes.message}</p>}
            </fieldset>
          )}
        />
      )}
      <Field label="Expires" error={errors.expires_at?.message}>
        {(p) => (
          <Controller
            name="expires_at"
            control={form.control}
            render={({ field: { value, onChange } }) => (
              <Select {...p} value={value} onChange={onChange}>
                <option value="7">in a week</option>
                <option value="90">in 90 days</option>
                <option value="365">in a year</option>
                <option value="">only when it is revoked</option>
              </Select>
            )}
          />
        )}
      </Field>
      <Trouble error={trouble} />
      <div className="flex gap-2">
        <Button go type="submit" disabled={isSubmitting}>
          Create the key
        </Button>
        <Button onClick={close}>Cancel</Button>
      </div>
    </form>
  );
}
