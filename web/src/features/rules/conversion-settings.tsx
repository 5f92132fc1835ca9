// What one step of a conversion asks.
import type { ReactNode } from "react";
import type { Schemas } from "@/api/client";
import { personName } from "@/lib/people";
import { Select } from "@/ui/select";
import type { Conversion } from "./rule-words";

type Props = {
  conversion: Conversion;
  /** Characters that the target takes. */
  limit?: number;
  users: Schemas["User"][];
  onChange: (c: Conversion) => void;
};

function Asked({ label, children }: { label: string; children: ReactNode }) {
  return (
    <label className="mt-2 grid grid-cols-[92px_1fr] items-center">
      <span className="text-ink-2">{label}</span>
      {children}
    </label>
  );
}

export function ConversionSettings({ conversion: c, limit, users, onChange }: Props) {
  if (typeof c !== "object") return null;
  if ("shorten" in c)
    return (
      <Asked label="Characters">
        <input
          type="number"
          min={1}
          max={limit}
          className="field w-24"
          value={c.shorten.to}
          onChange={(e) => onChange({ shorten: { to: Math.max(1, Number(e.target.value) || 1) } })}
        />
      </Asked>
    );
  if ("if_empty" in c)
    return (
      <Asked label="Text">
        <input
          className="field w-full"
          value={c.if_empty.text}
          onChange={(e) => onChange({ if_empty: { text: e.target.value } })}
        />
      </Asked>
    );
  if ("number" in c)
    return (
      <Asked label="Written with">
        <Select
          aria-label="Written with"
          className="field w-full"
          value={c.number.comma ? "comma" : "point"}
          onChange={(chosen) => onChange({ number: { comma: chosen === "comma" } })}
        >
          <option value="comma">a decimal comma (1.204,5)</option>
          <option value="point">a decimal point (1,204.5)</option>
        </Select>
      </Asked>
    );
  if ("path_level" in c)
    return (
      <Asked label="Level">
        <input
          type="number"
          min={1}
          className="field w-24"
          value={c.path_level.level}
          onChange={(e) => onChange({ path_level: { level: Math.max(1, Number(e.target.value) || 1) } })}
        />
      </Asked>
    );
  if ("users" in c) return <Strangers table={c.users} users={users} onChange={onChange} />;
  return null;
}

/** What happens to people who are not recognised. */
function Strangers({
  table,
  users,
  onChange,
}: {
  table: Schemas["UserTable"];
  users: Schemas["User"][];
  onChange: (c: Conversion) => void;
}) {
  const otherwise = table.otherwise;
  const now = typeof otherwise === "object" ? otherwise.use : otherwise === "leave_empty" ? "" : "=block";
  const fallback = (value: string): Schemas["Fallback"] =>
    value === "=block" ? "block" : value ? { use: value } : "leave_empty";
  return (
    <>
      <p className="mt-2 text-ink-2">Your table first, then e-mail, login, unique name.</p>
      <Asked label="Others">
        <Select
          aria-label="Others"
          className="field w-full"
          value={now}
          onChange={(chosen) => onChange({ users: { ...table, otherwise: fallback(chosen) } })}
        >
          <option value="=block">hold the item and report it</option>
          <option value="">leave empty, counted as a loss</option>
          {users.map((u) => (
            <option key={u.id} value={u.id}>
              use {personName(u, users)}
            </option>
          ))}
        </Select>
      </Asked>
    </>
  );
}
