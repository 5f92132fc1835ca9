// What is offered while an expression is typed.
import type { Completion, CompletionResult } from "@codemirror/autocomplete";
import type { Schemas } from "@/api/client";

/** Names and functions that fit what stands before the cursor; `from` is where that begins. */
export function completions(
  names: Schemas["Names"] | undefined,
  before: string,
  from: number,
): CompletionResult | null {
  if (!names) return null;
  const once = (list: Schemas["Function"][]) => [...new Map(list.map((f) => [f.name, f])).values()];
  const call = (f: Schemas["Function"]): Completion => ({ label: `${f.name}()`, detail: f.form, apply: `${f.name}(` });
  const named = (n: Schemas["Name"]): Completion => ({ label: n.text, detail: `${n.label}, ${n.is}` });
  const dot = before.lastIndexOf(".");
  if (dot > 0 && before.slice(0, dot) !== "fields") {
    return {
      from: from + dot + 1,
      options: once(names.functions.filter((f) => f.member)).map(call),
      validFor: /^\w*$/,
    };
  }
  const options = [...names.names.map(named), ...once(names.functions.filter((f) => !f.member)).map(call)];
  return { from, options, validFor: /^[\w.`-]*$/ };
}
