// A field for expressions: names are completed, faults are marked at their place and told.
import {
  autocompletion,
  completionKeymap,
  type CompletionContext,
  type CompletionResult,
} from "@codemirror/autocomplete";
import { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
import { bracketMatching, HighlightStyle, StreamLanguage, syntaxHighlighting } from "@codemirror/language";
import { setDiagnostics } from "@codemirror/lint";
import { Compartment, EditorState } from "@codemirror/state";
import { EditorView, keymap, placeholder } from "@codemirror/view";
import { tags } from "@lezer/highlight";
import { useEffect, useRef } from "react";
import type { Schemas } from "@/api/client";
import { completions } from "./expression-names";

/** Words, texts, numbers and signs of an expression, for colours only: the server reads it. */
const language = StreamLanguage.define({
  token: (stream) => {
    if (stream.eatSpace()) return null;
    if (stream.match("//")) {
      stream.skipToEnd();
      return "comment";
    }
    if (stream.match(/^[rR]?("(?:[^"\\]|\\.)*"?|'(?:[^'\\]|\\.)*'?)/)) return "string";
    if (stream.match(/^`[^`]*`?/)) return "propertyName";
    if (stream.match(/^\d[\w.]*/)) return "number";
    if (stream.match(/^(true|false|null|in)\b/)) return "keyword";
    if (stream.match(/^[A-Za-z_]\w*(?=\s*\()/)) return "macroName";
    if (stream.match(/^[A-Za-z_]\w*/)) return "variableName";
    stream.next();
    return "operator";
  },
});

const colours = HighlightStyle.define([
  { tag: tags.string, color: "var(--ok)" },
  { tag: tags.keyword, fontWeight: "600" },
  { tag: tags.macroName, fontWeight: "600" },
  { tag: tags.comment, color: "var(--ink-3)" },
  { tag: tags.operator, color: "var(--ink-2)" },
]);

const look = EditorView.theme({
  "&": { fontSize: "12.5px", backgroundColor: "var(--sheet)", color: "var(--ink)" },
  "&.cm-focused": { outline: "2px solid var(--focus)", outlineOffset: "1px" },
  ".cm-content": {
    fontFamily: "'Spline Sans Mono Variable', ui-monospace, monospace",
    caretColor: "var(--ink)",
    padding: "6px 0",
  },
  ".cm-cursor": { borderLeftColor: "var(--ink)" },
  "&.cm-focused .cm-selectionBackground, .cm-selectionBackground": { backgroundColor: "var(--wash) !important" },
  ".cm-matchingBracket": { backgroundColor: "var(--wash) !important", outline: "1px solid var(--hair)" },
  ".cm-lintRange-error": {
    backgroundImage: "none",
    textDecoration: "underline wavy var(--clash)",
    textUnderlineOffset: "3px",
  },
  ".cm-tooltip": { backgroundColor: "var(--sheet)", border: "1px solid var(--hair)", color: "var(--ink)" },
  ".cm-tooltip-autocomplete ul li[aria-selected]": { backgroundColor: "var(--wash)", color: "var(--ink)" },
  ".cm-completionDetail": { color: "var(--ink-3)", fontStyle: "normal", marginLeft: "1em" },
  ".cm-tooltip-lint": { padding: "2px 6px" },
});

type Props = {
  label: string;
  value: string;
  onChange: (text: string) => void;
  names?: Schemas["Names"];
  faults: Schemas["ExpressionFault"][];
  hint?: string;
};

export function ExpressionEditor({ label, value, onChange, names, faults, hint = "" }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(null);
  const told = useRef(onChange);
  const known = useRef(names);
  const labels = useRef(new Compartment());
  useEffect(() => {
    told.current = onChange;
    known.current = names;
  });
  useEffect(() => {
    const complete = (context: CompletionContext): CompletionResult | null => {
      const before = context.matchBefore(/[\w.`-]*/);
      if (!before || (before.from === before.to && !context.explicit)) return null;
      return completions(known.current, before.text, before.from);
    };
    const made = new EditorView({
      parent: host.current!,
      state: EditorState.create({
        doc: value,
        extensions: [
          history(),
          bracketMatching(),
          language,
          syntaxHighlighting(colours),
          autocompletion({ override: [complete], icons: false }),
          keymap.of([...completionKeymap, ...historyKeymap, ...defaultKeymap]),
          EditorView.lineWrapping,
          look,
          placeholder(hint),
          labels.current.of([]),
          EditorView.updateListener.of((u) => u.docChanged && told.current(u.state.doc.toString())),
        ],
      }),
    });
    view.current = made;
    return () => made.destroy();
    // Made once: what changes later is sent to it below.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, []);
  useEffect(() => {
    const now = view.current;
    if (now && now.state.doc.toString() !== value) {
      now.dispatch({ changes: { from: 0, to: now.state.doc.length, insert: value } });
    }
  }, [value]);
  useEffect(() => {
    const attributes = EditorView.contentAttributes.of({
      "aria-label": label,
      "aria-invalid": String(!!faults.length),
    });
    view.current?.dispatch({ effects: labels.current.reconfigure(attributes) });
  }, [label, faults.length]);
  useEffect(() => {
    const now = view.current;
    if (!now) return;
    const marks = faults.map((f) => marked(now.state.doc.toString(), f));
    now.dispatch(setDiagnostics(now.state, marks));
  }, [faults, value]);
  return <div ref={host} className="overflow-hidden rounded-md border border-hair" />;
}

/** A fault's place counts characters, the editor's counts UTF-16 units; an empty place takes the character before. */
function marked(text: string, fault: Schemas["ExpressionFault"]) {
  const units = (n: number) => [...text].slice(0, n).join("").length;
  const [from, to] = [units(fault.from), units(fault.to)];
  return { from: from === to ? Math.max(from - 1, 0) : from, to, severity: "error" as const, message: fault.message };
}
