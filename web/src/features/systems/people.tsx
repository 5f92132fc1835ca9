// Who is known to a system, how many items name each, and whom items name that nobody there knows.
import type { Schemas } from "@/api/client";
import { count } from "@/lib/words";
import { Head } from "./head";

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

export function People(props: Props) {
  const { users } = props.catalogue;
  const times = named(props);
  const names = users.map((u) => u.name);
  const known = new Set(users.map((u) => u.id));
  const strangers = [...times].filter(([id]) => !known.has(id));
  return (
    <>
      <table className="w-full border border-hair bg-sheet">
        <Head names={["Name", "Login", "E-mail", "Named", "Note"]} />
        <tbody>
          {users.map((u) => (
            <tr key={u.id} className="border-b border-hair-2 last:border-0">
              <td className="px-3 py-1.5 font-medium">{u.name}</td>
              <td className="mono px-3 text-ink-2">{u.login ?? ""}</td>
              <td className="px-3 text-ink-2">{u.email ?? <span className="text-ink-3">none</span>}</td>
              <td className="px-3 text-ink-2">{times.has(u.id) ? count(times.get(u.id) ?? 0, "time") : ""}</td>
              <td className="px-3 text-right text-clash">
                {names.filter((n) => n === u.name).length > 1 && "name used twice"}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
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
