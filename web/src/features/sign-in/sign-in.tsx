// Signing in; and, on a new installation, making the first administrator.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import * as z from "zod/mini";
import { api, setCsrf, take } from "@/api/client";
import { keys, refresh } from "@/api/keys";
import { useProblemForm } from "@/lib/form";
import { useTitle } from "@/lib/use-title";
import { Button, Field, Loading, Trouble } from "@/ui/basics";

export default function SignIn() {
  useTitle("Sign in");
  const setup = useQuery({ queryKey: keys.setup, queryFn: () => take(api.GET("/setup")) });
  if (setup.isPending) return <Loading what="the sign-in" />;
  return (
    <div className="flex h-full items-center justify-center bg-paper">
      <main className="w-[380px] rounded-lg border border-hair bg-sheet p-8">
        <div className="mb-6 flex items-center gap-2.5 text-[20px] font-semibold">
          <svg width="26" height="26" viewBox="0 0 20 20" aria-hidden>
            <path d="M9 3a7 7 0 0 0 0 14z" fill="var(--left)" />
            <path d="M11 3a7 7 0 0 1 0 14z" fill="var(--right)" />
          </svg>
          hovrel
        </div>
        {setup.error && <Trouble error={setup.error} retry={() => void setup.refetch()} />}
        {setup.data && <Form first={setup.data.needs_first_administrator} />}
      </main>
    </div>
  );
}

const asked = z.object({
  login: z.string().check(z.minLength(1, "Enter a login.")),
  name: z.string(),
  password: z.string().check(z.minLength(1, "Enter a password.")),
});

function Form({ first }: { first: boolean }) {
  const queries = useQueryClient();
  const { form, submit, trouble } = useProblemForm(
    asked,
    { login: "", name: "", password: "" },
    async ({ login, name, password }) => {
      if (first) await take(api.POST("/setup", { body: { login, name, password } }));
      const me = await take(api.POST("/session", { body: { login, password } }));
      setCsrf(me.csrf);
      await refresh.signedIn(queries);
    },
  );
  const { errors, isSubmitting } = form.formState;
  return (
    <form noValidate onSubmit={submit}>
      <h1 className="mb-1 text-[16px] font-semibold">{first ? "Create the first administrator" : "Sign in"}</h1>
      <p className="mb-4 text-ink-2">
        {first ? "There is no user in this installation yet." : "With the login an administrator gave you."}
      </p>
      <Field label="Login" error={errors.login?.message}>
        {(p) => <input {...p} {...form.register("login")} autoFocus autoComplete="username" className="field w-full" />}
      </Field>
      {first && (
        <Field label="Name" error={errors.name?.message} hint="Shown to others in the record.">
          {(p) => <input {...p} {...form.register("name")} autoComplete="name" className="field w-full" />}
        </Field>
      )}
      <Field label="Password" error={errors.password?.message} hint={first ? "Twelve characters or more." : undefined}>
        {(p) => (
          <input
            {...p}
            {...form.register("password")}
            type="password"
            autoComplete={first ? "new-password" : "current-password"}
            className="field w-full"
          />
        )}
      </Field>
      <Trouble error={trouble} />
      <Button go type="submit" disabled={isSubmitting} className="mt-2 w-full">
        {first ? "Create administrator and sign in" : "Sign in"}
      </Button>
    </form>
  );
}
