// What Hovrel would propose for a field, with its evidence.
import { Button } from "@/ui/basics";
import { Part } from "./part";
import type { RuleProps } from "./rule-props";
import { ruleWords, sourceField } from "./rule-words";
import { useSuggestions } from "./suggestions";

export function Suggested({ route, lane, target, rule, left, setRule }: RuleProps) {
  const suggestions = useSuggestions(route, lane);
  const found = suggestions.data?.find((s) => s.rule.target === target);
  if (!found) return null;
  const same = rule && JSON.stringify(rule.source) === JSON.stringify(found.rule.source);
  const source = sourceField(found.rule);
  return (
    <Part title={`${same ? "Why this source" : "Suggested"} · ${found.score}%`}>
      <ul className="text-ink-2">
        {found.evidence.map((e) => (
          <li key={e}>{e}</li>
        ))}
      </ul>
      {!same && (
        <Button className="mt-2" onClick={() => setRule(found.rule)}>
          Fill it from {left.kind?.fields.find((f) => f.id === source)?.name ?? ruleWords(found.rule)}
        </Button>
      )}
    </Part>
  );
}
