// A row of the Rules stop: a field of the left, the rule on the spine, a field of the right, what it makes of an item.
import { memo } from "react";
import type { Schemas } from "@/api/client";
import { typeWord } from "@/lib/words";
import { RequiredStar } from "@/ui/basics";
import { Disc } from "@/ui/disc";
import { ruleWords, sourceField, sourceWord, sourceWords, targetWord } from "./rule-words";
import type { Fill } from "./fills";

/** A field of the end that is written and what fills it. */
export type Row = { target: string; schema?: Schemas["FieldSchema"]; rule?: Fill };

type Props = {
  row: Row;
  /** The kind that is read. */
  source?: Schemas["KindSchema"];
  /** Which way values go, as the columns stand. */
  way: string;
  on: boolean;
  select: (target: string) => void;
  /** What is wrong with the rule, or with its absence. */
  fault?: string;
  value?: Schemas["PreviewValue"];
  /** Characters of the longest text in the field that it takes. */
  longest: number;
};

/** Behind a name; below it where there is no room behind it. */
const BELOW = "ml-1.5 max-[1150px]:ml-0 max-[1150px]:block max-[1150px]:truncate";

// Systems have hundreds of fields: a row is drawn again only if it is another.
export const RuleRow = memo(function RuleRow({ row, source: kind, way, on, select, fault, value, longest }: Props) {
  const { rule, schema, target } = row;
  const source = rule && sourceField(rule);
  const field = kind?.fields.find((f) => f.id === source);
  const from = !rule ? (
    <span className="text-ink-3">no source</span>
  ) : typeof rule.source === "string" ? (
    <span className="text-ink-2">{sourceWord[rule.source]}</span>
  ) : !("field" in rule.source) ? (
    <span className={`text-ink-2 ${"computed" in rule.source ? "mono" : ""}`}>{sourceWords(rule)}</span>
  ) : (
    <>
      {field?.name ?? <span className="text-clash">{source} (not there)</span>}
      {field && (
        <span className={`mono text-ink-3 ${BELOW}`}>
          {typeWord[field.value_type]}
          {field.allowed ? ` · ${field.allowed.length} values` : ""}
        </span>
      )}
      {schema?.max_length && longest > schema.max_length && (
        <span className={`mono text-loss ${BELOW}`}>longest: {longest.toLocaleString("en")}</span>
      )}
    </>
  );
  const to = targetWord(target, schema);
  const bad = fault !== undefined;
  const lossy = !!value?.losses.length;
  const what = fault ?? value?.fault ?? value?.becomes;
  const why = lossy ? [...new Set(value.losses.map((l) => l.why))].join("; ") : undefined;
  const words = rule ? ruleWords(rule) : bad ? "choose…" : "no rule";
  const cell = `border-b border-hair-2 px-3 py-1.5 truncate ${on ? "bg-wash" : ""}`;
  const filled = (
    <>
      {to}
      {schema?.required && <RequiredStar />}
      {schema && (
        <span className={`mono text-ink-3 ${BELOW}`}>
          {typeWord[schema.value_type]}
          {schema.max_length ? ` ≤ ${schema.max_length}` : ""}
          {schema.allowed ? ` · ${schema.allowed.length} values` : ""}
        </span>
      )}
    </>
  );
  const [atLeft, atRight] = way === "←" ? [filled, from] : [from, filled];
  return (
    <tr onClick={() => select(target)} className="cursor-pointer" aria-selected={on}>
      <td className={`${cell} !pl-5`}>{atLeft}</td>
      <td className={`${cell} spine-cell text-center`}>
        <button
          type="button"
          onClick={() => select(target)}
          aria-label={`Rule for ${to}: ${words}`}
          className={`max-w-full truncate rounded-[10px] border bg-sheet px-2.5 py-px text-[11px] ${!rule && bad ? "border-clash text-clash" : rule ? "border-hair" : "border-dashed border-hair text-ink-3"} ${words.startsWith("shorten") ? "text-loss" : ""}`}
        >
          {rule ? `${way} ${words}` : words}
        </button>
      </td>
      <td className={cell}>{atRight}</td>
      <td className={`${cell} ${bad || value?.fault ? "text-clash" : lossy ? "text-loss" : ""}`} title={why ?? what}>
        {lossy && !bad && (
          <span className="mr-1.5 inline-block align-[-3px]">
            <Disc shape="loss" label={`Loss: ${why}`} />
          </span>
        )}
        {what}
      </td>
    </tr>
  );
});
