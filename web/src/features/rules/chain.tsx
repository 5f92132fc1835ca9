// How a value is converted: one step after another, each with its settings.
import type { ReactNode } from "react";
import type { Schemas } from "@/api/client";
import { Select } from "@/ui/select";
import { ConversionSettings } from "./conversion-settings";
import { conversionHow, conversionsFor, hows, howWord, type Conversion, type How } from "./rule-words";
import type { Fill } from "./fills";

type Props = {
  rule: Fill;
  schema: Schemas["FieldSchema"];
  fromPath: boolean;
  users: Schemas["User"][];
  /** The table of who is who, for a step that recognises people. */
  people: (table: Schemas["UserTable"], onChange: (c: Conversion) => void) => ReactNode;
  setRule: (r: Fill) => void;
};

export function Chain({ rule, schema, fromPath, users, people, setRule }: Props) {
  const steps = rule.conversions ?? [];
  const set = (conversions: Conversion[]) => setRule({ ...rule, conversions });
  const put = (n: number, how: How) =>
    set([...steps.slice(0, n), ...conversionsFor(how, schema), ...steps.slice(n + 1)]);
  const choices = hows(schema, fromPath);
  const more = choices.filter((h) => h !== "as_it_is" && !steps.some((s) => conversionHow(s) === h));
  const select = (label: string, value: How, options: How[], choose: (how: How) => void) => (
    <label className="mt-2 grid grid-cols-[92px_1fr] items-center">
      <span className="text-ink-2">{label}</span>
      <Select aria-label={label} className="field w-full" value={value} onChange={(chosen) => choose(chosen as How)}>
        {[...new Set([...options, value])].map((h) => (
          <option key={h} value={h}>
            {howWord[h]}
          </option>
        ))}
      </Select>
    </label>
  );
  return (
    <>
      {steps.length === 0 && select("How", "as_it_is", choices, (how) => put(0, how))}
      {steps.map((step, n) => (
        <div key={n}>
          {select(n === 0 ? "How" : "Then", conversionHow(step), n === 0 ? choices : more, (how) => put(n, how))}
          {n > 0 && (
            <button
              type="button"
              className="ml-[92px] text-ink-2 underline decoration-hair underline-offset-3"
              onClick={() => set(steps.filter((_, k) => k !== n))}
            >
              Remove this step
            </button>
          )}
          <ConversionSettings
            conversion={step}
            limit={schema.max_length ?? undefined}
            users={users}
            onChange={(c) => set(steps.map((s, k) => (k === n ? c : s)))}
          />
          {typeof step === "object" &&
            "users" in step &&
            people(step.users, (c) => set(steps.map((s, k) => (k === n ? c : s))))}
        </div>
      ))}
      {steps.length > 0 && more.length > 0 && (
        <label className="mt-2 grid grid-cols-[92px_1fr] items-center">
          <span className="text-ink-2">Then</span>
          <Select
            aria-label="Add a step"
            className="field w-full text-ink-2"
            value=""
            onChange={(chosen) => set([...steps, ...conversionsFor(chosen as How, schema)])}
          >
            <option value="">no further step</option>
            {more.map((h) => (
              <option key={h} value={h}>
                {howWord[h]}
              </option>
            ))}
          </Select>
        </label>
      )}
    </>
  );
}
