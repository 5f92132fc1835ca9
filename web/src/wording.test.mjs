// The words of the interface, from its sources: those that Hovrel does not use are nowhere in it.
import { describe, expect, it } from "vitest";
import { strings } from "../../scripts/strings.mjs";

/** What is said otherwise: the word, and what stands in its place. */
const not = [
  [/\badopt/i, "pair"],
  [/\btwins?\b|\bdoubles\b/i, "likely duplicates"],
  [/\bstands? for\b/i, "counterpart"],
  [/\btaken in\b|\btake .{1,20} in\b/i, "included"],
  [/\brehears/i, "dry run"],
  [/\bcarr(y|ies|ied|ying)\b/i, "transfer"],
  [/\banew\b|\btake over\b/i, "again, new"],
  [/\bappl(y|ies|ied)\b/i, "transfer"],
  [/\b(said|says?|sure|surely)\b/i, "decide, decided, certain"],
  [/\bsettle[ds]?\b|\bfaults?\b/i, "problem, to fix"],
  [/\b(met|told)\b/i, "found; shown, listed"],
  [/\balike\b(?! it)/i, "similar"],
  [/\b(otherwise than|bear out|borne out)\b/i, "changed since; support"],
  [/\b(go|goes|gone) on\b/i, "continues"],
  [/\b(whoever|somebody)\b/i, "you, the person"],
  [/\bleads? to\b/i, "points to, links to"],
  [/\d %|…%\s*%|\} %/, "100%"],
  [/!(\s|$)/, "no exclamation marks"],
];

describe.each(["web", "program"])("the strings of the %s", (which) => {
  // What stands in braces is filled in.
  const list = strings(which).map((s) => ({ ...s, text: s.text.replaceAll(/\{[^{}]*\}/g, "{}") }));
  it("are found at all", () => expect(list.length).toBeGreaterThan(500));
  it("have none of the words that are not used", () => {
    const wrong = list.flatMap(({ file, line, text }) =>
      not.filter(([word]) => word.test(text)).map(([, better]) => `${file}:${line} “${text}” → ${better}`),
    );
    expect(wrong).toEqual([]);
  });
});
