// Another name for the route.
import { useQueryClient } from "@tanstack/react-query";
import { PencilLine } from "lucide-react";
import { useState } from "react";
import * as z from "zod/mini";
import { api, take } from "@/api/client";
import { refresh } from "@/api/keys";
import { useProblemForm } from "@/lib/form";
import { routeName } from "./route-name";
import { Button, Field, Trouble } from "@/ui/basics";
import { Sheet } from "@/ui/dialog";
import type { Route } from "./draft";

export function Rename({ route }: { route: Route }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <button
        type="button"
        aria-label="Rename the route"
        title="Rename the route"
        className="-mx-1.5 flex size-6 shrink-0 items-center justify-center text-ink-2 hover:text-ink"
        aria-haspopup="dialog"
        onClick={() => setOpen(true)}
      >
        <PencilLine size={14} aria-hidden />
      </button>
      <Sheet title="Rename the route" open={open} onOpenChange={setOpen}>
        <NameForm route={route} close={() => setOpen(false)} />
      </Sheet>
    </>
  );
}

function NameForm({ route, close }: { route: Route; close: () => void }) {
  const queries = useQueryClient();
  const { form, submit, trouble } = useProblemForm(
    z.object({ name: routeName }),
    { name: route.name },
    async ({ name }) => {
      const saved = await take(api.PUT("/routes/{id}/name", { params: { path: { id: route.id } }, body: { name } }));
      await refresh.saved(queries, saved);
      close();
    },
  );
  return (
    <form onSubmit={submit}>
      <Field label="Name" error={form.formState.errors.name?.message} hint="The rules and their version stay.">
        {(p) => <input {...p} {...form.register("name")} className="field w-full" />}
      </Field>
      <Trouble error={trouble} />
      <div className="flex justify-end gap-3">
        <Button onClick={close}>Cancel</Button>
        <Button go type="submit" disabled={form.formState.isSubmitting}>
          Rename
        </Button>
      </div>
    </form>
  );
}
