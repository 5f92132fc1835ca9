// The lanes that a new route may begin with, and the rules proposed for each, with their evidence.
import type { Schemas } from "@/api/client";
import { count, kindsWord } from "@/lib/words";
import { Select } from "@/ui/select";
import { anyFill } from "../rules/fills";
import { ruleWords, sourceField, sourceWords, targetWord } from "../rules/rule-words";
import { levels } from "../rules/suggestions";

type Proposed = Schemas["ProposedLane"];

/** Which lanes and rules are left out, and from which level on rules are accepted. */
export type Choice = { level: number; lanes: string[]; rules: string[] };

export const everything: Choice = { level: 0, lanes: [], rules: [] };

const ruleId = (lane: string, rule: string) => `${lane} ${rule}`;

function accepted(p: Proposed, choice: Choice) {
  const wanted = (s: Schemas["Suggestion"]) =>
    s.score >= choice.level && !choice.rules.includes(ruleId(p.lane.id, s.rule.id));
  return p.suggestions.filter(wanted).map((s) => s.rule);
}

/** The lanes as chosen. */
export function chosenLanes(proposed: Proposed[], choice: Choice): Schemas["Lane"][] {
  const kept = proposed.filter((p) => !choice.lanes.includes(p.lane.id));
  return kept.map((p) => ({ ...p.lane, rules: accepted(p, choice) }));
}

const without = (list: string[], one: string) => list.filter((o) => o !== one);
const toggled = (list: string[], one: string) => (list.includes(one) ? without(list, one) : [...list, one]);

type Props = { proposed: Proposed[]; choice: Choice; onChange: (c: Choice) => void };

export function ProposedLanes({ proposed, choice, onChange }: Props) {
  return (
    <section className="mt-3">
      <div className="mb-2 flex items-end justify-between gap-4">
        <div>
          <h2 className="font-semibold">Lanes to begin with</h2>
          <p className="text-ink-2">
            Proposed from names, types, the values found, and the items that are at both ends. Every rule can be changed
            before anything runs. A percentage weighs the evidence beside it: how similar names, types and values are,
            and how many of the known pairs support the rule.
          </p>
        </div>
        <label className="shrink-0 text-ink-2">
          Accept rules{" "}
          <Select
            aria-label="Accept rules"
            className="field"
            value={choice.level}
            onChange={(chosen) => onChange({ ...choice, level: Number(chosen) })}
          >
            {levels.map(([value, words]) => (
              <option key={value} value={value}>
                {words}
              </option>
            ))}
          </Select>
        </label>
      </div>
      <ul className="divide-y divide-hair-2 border border-hair bg-sheet">
        {proposed.map((p) => (
          <li key={p.lane.id} className="px-3 py-2">
            <label className="grid cursor-pointer grid-cols-[26px_1fr_110px_1fr] items-center gap-2">
              <input
                type="checkbox"
                checked={!choice.lanes.includes(p.lane.id)}
                onChange={() => onChange({ ...choice, lanes: toggled(choice.lanes, p.lane.id) })}
              />
              <span>
                {p.left_name} <span className="text-ink-3">{p.left_count.toLocaleString("en")}</span>
              </span>
              <span className="text-center text-ink-2">→</span>
              <span>
                {p.right_name} <span className="text-ink-3">{p.right_count.toLocaleString("en")} there now</span>
              </span>
            </label>
            {p.suggestions.length > 0 && (
              <details className="pl-[34px]">
                <summary className="cursor-pointer py-0.5 text-ink-2">
                  {accepted(p, choice).length} of {count(p.suggestions.length, "rule")}
                  {p.known > 0 &&
                    `, supported by ${p.known.toLocaleString("en")} ${kindsWord(p.lane.left_kind)} that are at both ends`}
                </summary>
                <ul className="mt-1 space-y-1.5 pb-1">
                  {fillsOf(p).map(({ fill, ...s }) => (
                    <RuleChoice
                      key={s.rule.id}
                      suggestion={s}
                      how={ruleWords(fill)}
                      from={p.left_fields[sourceField(fill) ?? ""] ?? sourceWords(fill)}
                      to={p.right_fields[fill.target] ?? targetWord(fill.target)}
                      low={s.score < choice.level}
                      on={s.score >= choice.level && !choice.rules.includes(ruleId(p.lane.id, s.rule.id))}
                      onToggle={() =>
                        onChange({ ...choice, rules: toggled(choice.rules, ruleId(p.lane.id, s.rule.id)) })
                      }
                    />
                  ))}
                </ul>
              </details>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}

/** What is proposed for the right end. */
const fillsOf = (p: Proposed) =>
  p.suggestions.flatMap((s) => {
    const fill = anyFill(s.rule);
    return fill ? [{ ...s, fill }] : [];
  });

type RuleProps = {
  suggestion: Pick<Schemas["Suggestion"], "score" | "evidence">;
  /** What the rule does with the value. */
  how: string;
  from: string;
  to: string;
  low: boolean;
  on: boolean;
  onToggle: () => void;
};

function RuleChoice({ suggestion: { score, evidence }, how, from, to, low, on, onToggle }: RuleProps) {
  return (
    <li>
      <label className={`grid grid-cols-[22px_1fr_44px_1fr] items-start gap-2 ${low ? "text-ink-3" : ""}`}>
        <input
          type="checkbox"
          className="mt-0.5"
          aria-label={`Take ${from} for ${to}`}
          checked={on}
          disabled={low}
          onChange={onToggle}
        />
        <span className="min-w-0 truncate">
          {from} <span className="text-ink-2">→</span> {to} <span className="text-ink-3">{how}</span>
        </span>
        <b className="text-right font-semibold">{score}%</b>
        <span className="text-ink-2">{evidence.join(" ")}</span>
      </label>
    </li>
  );
}
