// What Hovrel would propose for a field, with its evidence.
import { Button } from "@/ui/basics";
import { Part } from "./part";
import { anyFill } from "./fills";
import type { RuleProps } from "./rule-props";
import { ruleWords, sourceField } from "./rule-words";
import { useSuggestions } from "./suggestions";

export function Suggested({ route, lane, target, rule, from, setRule }: RuleProps) {
  const suggestions = useSuggestions(route, lane);
  const found = suggestions.data?.find((s) => anyFill(s.rule)?.target === target);
  const fill = anyFill(found?.rule);
  if (!found || !fill) return null;
  const same = rule && JSON.stringify(rule.source) === JSON.stringify(fill.source);
  const source = sourceField(fill);
  return (
    <Part title={`${same ? "Why this source" : "Suggested"} · ${found.score}%`}>
      <ul className="text-ink-2">
        {found.evidence.map((e) => (
          <li key={e}>{e}</li>
        ))}
      </ul>
      {!same && (
        <Button className="mt-2" onClick={() => setRule(fill)}>
          Fill it from {from.kind?.fields.find((f) => f.id === source)?.name ?? ruleWords(fill)}
        </Button>
      )}
    </Part>
  );
}
