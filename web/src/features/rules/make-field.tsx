// A field made at the end that is written for one of the other that has no place there.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import * as z from "zod/mini";
import { api, take, type Schemas } from "@/api/client";
import { keys } from "@/api/keys";
import { useProblemForm } from "@/lib/form";
import { kindAt, writtenEnd } from "@/lib/lanes";
import { count, typeWord } from "@/lib/words";
import { Button, Field, Trouble } from "@/ui/basics";
import { Pop } from "@/ui/pop";
import type { Lane, Route } from "../route/draft";

type Props = {
  route: Route;
  lane: Lane;
  source: Schemas["FieldSchema"];
  /** What the system is called in which it is made. */
  toName: string;
  /** Called with the field when it is there. */
  made: (field: Schemas["FieldSchema"]) => void;
};

export function MakeField(p: Props) {
  return (
    <Pop label="Create a field for it" title={`A field at ${p.toName} for ${p.source.name}`}>
      <Asked {...p} />
    </Pop>
  );
}

/** Values that are named; all of them are counted and made. */
const NAMED = 8;

function Asked(p: Props) {
  const { route, lane, source, toName } = p;
  const end = writtenEnd(lane);
  const like = useQuery({
    queryKey: keys.newField(route.id, lane.left_kind, lane.right_kind, source.id, route[end].surveyed_at),
    queryFn: () => {
      const query = { end, left_kind: lane.left_kind, right_kind: lane.right_kind, field: source.id };
      return take(api.GET("/routes/{id}/new-field", { params: { path: { id: route.id }, query } }));
    },
  });
  if (like.isPending) return <p className="w-[320px] text-ink-3">Reading which fields can be created…</p>;
  if (like.error) return <Trouble error={like.error} />;
  if (!like.data)
    return (
      <p className="w-[320px] text-ink-2">
        {toName} can't create a field that holds {typeWord[source.value_type].toLowerCase()}.
      </p>
    );
  return <NameIt {...p} field={like.data} />;
}

const asked = z.object({ field: z.object({ name: z.string().check(z.trim(), z.minLength(1, "Enter a name.")) }) });

function NameIt({ route, lane, toName, made, field }: Props & { field: Schemas["NewField"] }) {
  const queries = useQueryClient();
  const { form, submit, trouble } = useProblemForm(
    asked,
    { field: { name: field.name } },
    async ({ field: { name } }) => {
      const end = writtenEnd(lane);
      const body = { end, kind: kindAt(lane, end), field: { ...field, name } };
      const there = await take(api.POST("/routes/{id}/new-field", { params: { path: { id: route.id } }, body }));
      await queries.invalidateQueries({ queryKey: keys.schema(route.id) });
      made(there);
    },
  );
  const { errors, isSubmitting } = form.formState;
  const values = field.allowed ?? [];
  return (
    <form className="w-[320px]" noValidate onSubmit={submit}>
      <h3 className="mb-2 font-semibold">A field at {toName}</h3>
      <Field label="Name" error={errors.field?.name?.message}>
        {(p) => <input {...p} {...form.register("field.name")} className="field w-full" />}
      </Field>
      <dl className="mt-2 grid grid-cols-[64px_1fr] gap-y-1">
        <dt className="text-ink-2">Type</dt>
        <dd>
          {typeWord[field.value_type]}
          {field.max_length ? `, ${field.max_length} characters at most` : ""}
        </dd>
        {values.length > 0 && (
          <>
            <dt className="text-ink-2">Values</dt>
            <dd>
              {values.slice(0, NAMED).join(", ")}
              {values.length > NAMED ? ` and ${count(values.length - NAMED, "more", "more")}` : ""}
            </dd>
          </>
        )}
      </dl>
      <p className="mt-2 text-ink-2">Adds the field to {toName} now, for all its users. Undo removes only the rule.</p>
      <Trouble error={trouble} />
      <Button type="submit" go className="mt-3" disabled={isSubmitting}>
        {isSubmitting ? "Creating it…" : "Create the field"}
      </Button>
    </form>
  );
}
