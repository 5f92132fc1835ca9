// Who is known to a system, how many items name each, and whom items name that nobody there knows.
import { useMemo } from "react";
import type { Schemas } from "@/api/client";
import { sharesName } from "@/lib/people";
import { count } from "@/lib/words";
import { DataTable, type Column } from "@/ui/data-table";

type User = Schemas["User"];
type Props = { catalogue: Schemas["Catalogue"]; survey: Schemas["Survey"] };

/** How often each id stands in a field for people, over all kinds. */
function named({ catalogue, survey }: Props): Map<string, number> {
  const out = new Map<string, number>();
  for (const kind of catalogue.kinds) {
    const people = kind.fields.filter((f) => f.value_type === "user" || f.value_type === "user_list");
    const found = survey.kinds.find((k) => k.kind === kind.kind);
    for (const { id } of people) {
      const values = found?.fields.find((f) => f.field === id)?.values ?? [];
      values.filter((v) => v.value).forEach((v) => out.set(v.value, (out.get(v.value) ?? 0) + v.count));
    }
  }
  return out;
}

function columnsOf(users: User[], times: Map<string, number>): Column<User>[] {
  const twice = (user: User) => sharesName(user, users);
  return [
    { id: "name", name: "Name", value: (u) => u.name, cell: (u) => u.name, className: "font-medium" },
    {
      id: "login",
      name: "Login",
      value: (u) => u.login ?? undefined,
      cell: (u) => u.login,
      className: "mono text-ink-2",
    },
    {
      id: "email",
      name: "E-mail",
      value: (u) => u.email ?? undefined,
      cell: (u) => u.email ?? <span className="text-ink-3">none</span>,
      className: "text-ink-2",
    },
    {
      id: "named",
      name: "Named",
      value: (u) => times.get(u.id) ?? 0,
      cell: (u) => count(times.get(u.id) ?? 0, "time"),
      className: "text-ink-2",
    },
    { id: "id", name: "Id", value: (u) => u.id, cell: (u) => u.id, from: 1600, className: "mono text-ink-2" },
    {
      id: "note",
      name: "Note",
      value: (u) => (twice(u) ? 0 : 1),
      cell: (u) => twice(u) && "name used twice",
      className: "text-clash",
    },
  ];
}

export function People(props: Props) {
  const { users } = props.catalogue;
  const times = useMemo(() => named(props), [props]);
  const columns = useMemo(() => columnsOf(users, times), [users, times]);
  const known = new Set(users.map((u) => u.id));
  const strangers = [...times].filter(([id]) => !known.has(id));
  return (
    <>
      <DataTable id="people" label="People" columns={columns} rows={users} keyOf={(u) => u.id} />
      {strangers.length > 0 && (
        <section aria-label="Strangers" className="mt-4">
          <h2 className="mb-1 font-semibold">Named in items, but not a user there</h2>
          <ul className="rounded-lg border border-hair bg-sheet">
            {strangers.map(([id, n]) => (
              <li key={id} className="flex justify-between border-b border-hair-2 px-3 py-1.5 last:border-0">
                <span className="mono">{id}</span>
                <span className="text-ink-2">{count(n, "time")}</span>
              </li>
            ))}
          </ul>
        </section>
      )}
    </>
  );
}
