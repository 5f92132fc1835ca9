// Who is who: everybody whom the items in scope name, as whom they are recognised at the other end, and by whom they are
// to be replaced.
import type { Schemas } from "@/api/client";
import { personName } from "@/lib/people";
import { count } from "@/lib/words";
import { Select } from "@/ui/select";
import type { Lane, Route } from "../route/draft";
import type { Conversion } from "./rule-words";
import type { Fill } from "./fills";
import { fromEdge, toEdge, type Sides } from "./sides";
import { usePeopleMet } from "./use-met";

type Table = Schemas["UserTable"];
type Props = {
  route: Route;
  lane: Lane;
  rule: Fill;
  table: Table;
  sides: Sides;
  users: Schemas["User"][];
  onChange: (c: Conversion) => void;
};

const howWord: Record<Schemas["UserMatch"], string> = { email: "e-mail", login: "login", name: "name" };

/** What becomes of people who are not recognised: how it looks, in words, and how their field looks. */
function fates(otherwise: Table["otherwise"], users: Schemas["User"][]): [string, string, string] {
  if (otherwise === "leave_empty") return ["text-loss", "left empty, a loss", "border-loss bg-loss-wash text-loss"];
  if (typeof otherwise === "object") {
    const used = users.find((u) => u.id === otherwise.use);
    return ["", `written as ${used ? personName(used, users) : otherwise.use}`, "border-hair"];
  }
  return ["text-clash", "their items wait", "border-clash bg-clash-wash text-clash"];
}

export function PeopleTable({ route, lane, rule, table, sides, users, onChange }: Props) {
  const told = usePeopleMet(route, lane, rule);
  const met = told ?? [];
  const rows = table.rows ?? [];
  const ids = [...new Set([...met.map((p) => p.id), ...rows.map((r) => r.left)])];
  const known = (id: string) => met.find((p) => p.id === id);
  const called = (id: string | null | undefined) => {
    const user = users.find((u) => u.id === id);
    return user ? personName(user, users) : id;
  };
  const set = (left: string, right: string) => {
    const others = rows.filter((r) => r.left !== left);
    onChange({ users: { ...table, rows: right ? [...others, { left, right, returns: false }] : others } });
  };
  const strangers = ids.filter((id) => !known(id)?.there && !rows.some((r) => r.left === id));
  const [look, fate, field] = fates(table.otherwise, users);
  return (
    <section className="mt-3">
      <p className="mb-1.5 text-ink-2">
        {told ? (
          <>
            {count(ids.length, "person", "people")} found
            {strangers.length > 0 && (
              <span className={look}>
                , {strangers.length.toLocaleString("en")} not recognised: {fate}
              </span>
            )}
          </>
        ) : (
          "Reading the names…"
        )}
      </p>
      <div className="grid grid-cols-[1fr_38px_1.15fr] gap-x-2 text-[11px] text-ink-3">
        <span>{sides.from}</span>
        <span className="text-right">items</span>
        <span>{sides.to}</span>
      </div>
      <ul className="mt-1 space-y-1.5">
        {ids.map((id) => {
          const own = rows.find((r) => r.left === id);
          const found = known(id);
          const lost = !own && !found?.there;
          // Two people of one name are told apart by their ids.
          const shared = met.filter((p) => p.name === found?.name).length > 1;
          const name = `${found?.name ?? id}${shared ? ` (${id})` : ""}`;
          return (
            <li key={id} className="grid grid-cols-[1fr_38px_1.15fr] items-center gap-x-2">
              <span
                className={`truncate rounded-[5px] border border-hair bg-sheet px-2 py-[2px] ${fromEdge(sides)}`}
                title={id}
              >
                {name}
              </span>
              <span className="mono text-right text-ink-3">{found?.count ?? 0}</span>
              <Select
                aria-label={`${name} is`}
                value={own?.right ?? ""}
                onChange={(chosen) => set(id, chosen)}
                className={`w-full min-w-0 rounded-[5px] border px-1.5 py-[3px] ${lost ? field : `border-hair ${toEdge(sides)}`}`}
              >
                <option value="">
                  {found?.there && found.how
                    ? `${called(found.there)} · ${howWord[found.how]}`
                    : "use the default above"}
                </option>
                {users.map((u) => (
                  <option key={u.id} value={u.id}>
                    {personName(u, users)}
                  </option>
                ))}
              </Select>
            </li>
          );
        })}
      </ul>
    </section>
  );
}
