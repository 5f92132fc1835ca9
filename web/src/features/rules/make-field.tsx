// A field made at the right for one of the left that has no place there.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ProblemError, take, type Schemas } from "@/api/client";
import { keys } from "@/api/keys";
import { count, typeWord } from "@/lib/words";
import { Button, Trouble } from "@/ui/basics";
import { Pop } from "@/ui/pop";
import type { Lane, Route } from "../route/draft";

type Props = {
  route: Route;
  lane: Lane;
  source: Schemas["FieldSchema"];
  rightName: string;
  /** Called with the field when it is there. */
  made: (field: Schemas["FieldSchema"]) => void;
};

export function MakeField(p: Props) {
  return (
    <Pop label="Create a field for it" title={`A field at ${p.rightName} for ${p.source.name}`}>
      <Asked {...p} />
    </Pop>
  );
}

/** Values that are named; all of them are counted and made. */
const NAMED = 8;

function Asked({ route, lane, source, rightName, made }: Props) {
  const queries = useQueryClient();
  const [name, setName] = useState<string>();
  const like = useQuery({
    queryKey: keys.newField(route.id, lane.left_kind, lane.right_kind, source.id, route.right.surveyed_at),
    queryFn: () => {
      const query = { left_kind: lane.left_kind, right_kind: lane.right_kind, field: source.id };
      return take(api.GET("/routes/{id}/new-field", { params: { path: { id: route.id }, query } }));
    },
  });
  const make = useMutation({
    mutationFn: (field: Schemas["NewField"]) => {
      const body = { kind: lane.right_kind, field };
      return take(api.POST("/routes/{id}/new-field", { params: { path: { id: route.id } }, body }));
    },
    onSuccess: async (field) => {
      await queries.invalidateQueries({ queryKey: keys.schema(route.id) });
      made(field);
    },
  });
  if (like.isPending) return <p className="w-[320px] text-ink-3">Reading which fields can be created…</p>;
  if (like.error) return <Trouble error={like.error} />;
  const field = like.data;
  if (!field)
    return (
      <p className="w-[320px] text-ink-2">
        {rightName} can't create a field that holds {typeWord[source.value_type].toLowerCase()}.
      </p>
    );
  const values = field.allowed ?? [];
  const wrong = make.error instanceof ProblemError ? make.error.field("/field/name") : undefined;
  return (
    <form
      className="w-[320px]"
      onSubmit={(e) => {
        e.preventDefault();
        make.mutate({ ...field, name: name ?? field.name });
      }}
    >
      <h3 className="font-semibold">A field at {rightName}</h3>
      <label className="mt-2 grid grid-cols-[64px_1fr] items-center">
        <span className="text-ink-2">Name</span>
        <input
          className="field w-full"
          value={name ?? field.name}
          aria-invalid={!!wrong}
          onChange={(e) => setName(e.target.value)}
        />
      </label>
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
      <p className="mt-2 text-ink-2">
        Adds the field to {rightName} now, for all its users. Undo removes only the rule.
      </p>
      {wrong ? <p className="mt-2 text-clash first-letter:uppercase">{wrong}</p> : <Trouble error={make.error} />}
      <Button type="submit" go className="mt-3" disabled={make.isPending || !(name ?? field.name).trim()}>
        {make.isPending ? "Creating it…" : "Create the field"}
      </Button>
    </form>
  );
}
