import { renderToStaticMarkup } from "react-dom/server";
import { expect, it } from "vitest";
import type { Schemas } from "@/api/client";
import { ChangeRow } from "./change-row";

type Listed = Schemas["ListedChange"];
const side = (key: string, title: string): Schemas["Side"] => ({ id: key, key, title, path: "" });
const change = (more: Partial<Listed>): Listed => ({
  seq: 1,
  kind: "test_case",
  written: "right",
  outcome: "new_right",
  included: true,
  as_new: false,
  let_go: false,
  left: side("OS-7", "Wind above limit"),
  conflicts_open: 0,
  losses: 0,
  faults: [],
  refusals: [],
  lacks: [],
  fields: 6,
  fields_written: 6,
  steps: 0,
  files: 0,
  ...more,
});

const row = (more: Partial<Listed>) => {
  const html = renderToStaticMarkup(
    <ChangeRow n={0} item={change(more)} top={0} on={false} locked={false} select={() => {}} toggle={() => {}} />,
  );
  const [text, checked] = [
    html.replaceAll(/<[^>]+>/g, " ").replaceAll(/\s+/g, " "),
    /aria-checked="(\w+)"/.exec(html)?.[1],
  ];
  return { html, text, checked };
};

it("what is new is told with what comes along", () => {
  const { text, checked } = row({ steps: 1, files: 3 });
  expect(text).toContain("OS-7 Wind above limit");
  expect(text).toContain("new · 1 step · 3 files");
  expect(checked).toBe("true");
  expect(row({ kind: "folder" }).text).toContain("will be created");
});

it("what is left out is none as something that comes", () => {
  const { text, checked } = row({ included: false, steps: 4 });
  expect(text).toContain("left out");
  expect(text).not.toContain("4 steps");
  expect(checked).toBe("false");
});

it("what the right would refuse stands before everything else, and only of what is taken in", () => {
  const refusals = ["Title is longer than 100", "Owner is not there"];
  const { html, text } = row({ refusals });
  expect(text).toContain("would be refused: Title is longer than 100");
  expect(text).toContain("2 reasons");
  expect(html).toContain("Title is longer than 100; Owner is not there");
  expect(row({ refusals, included: false }).text).not.toContain("refused");
});

it("what is held back says why and can't be taken in", () => {
  const { text, html } = row({ outcome: "blocked", included: false, faults: ["priority: “9” has no row in the map"] });
  expect(text).toContain("has no row in the map");
  expect(text).toContain("1 reason");
  expect(html).toMatch(/disabled/);
});

it("a change in part says how many of its fields it writes; open conflicts go before that", () => {
  const both = { outcome: "update_right" as const, right: side("TC-9", "Wind"), fields_written: 2 };
  expect(row(both).text).toContain("2 of 6");
  expect(row(both).checked).toBe("mixed");
  expect(row({ ...both, conflicts_open: 4 }).text).toContain("4 conflicts");
});

it("a counterpart in doubt is a question until it is answered", () => {
  const adopt = { outcome: "adopt" as const, right: side("TC-9", "Wind over limit"), included: false };
  expect(row(adopt).text).toContain("TC-9 Wind over limit to confirm");
  expect(row({ ...adopt, included: true }).text).not.toContain("to confirm");
  expect(row({ ...adopt, included: true, as_new: true }).text).toContain("will be created next to TC-9");
});

it("losses are counted in words for whoever does not see the disc", () => {
  expect(row({ losses: 1 }).html).toContain("1 loss");
  expect(row({ losses: 3 }).html).toContain("3 losses");
});

it("an item that is not there is told with what became of it, and is out until somebody says how", () => {
  const gone = { absence: "gone at the right", included: false, right: side("TB-7", "Wind above limit") };
  const { html, text, checked } = row({ outcome: "gone_right", ...gone });
  expect(text).toContain("gone at the right");
  expect(checked).toBe("false");
  expect(html).toContain("disabled");
  expect(row({ outcome: "gone_right", ...gone, as_new: true, included: true }).text).toContain("will be created again");
  const left = row({ outcome: "gone_left", ...gone, absence: "gone at the left; its counterpart stays" });
  expect(left.text).toContain("TB-7");
  expect(left.text).toContain("its counterpart stays");
  expect(row({ outcome: "out_of_scope_left", ...gone, let_go: true, included: true }).text).toContain("let go");
});

it("what is left out for what it needs says what that is", () => {
  const lacks = [{ seq: 3, key: "OS-3", title: "Folder" }];
  expect(row({ included: false, lacks }).text).toContain("left out: needs OS-3");
});

it("what is new at the left shows where it comes from, and what can't be created there as what", () => {
  const right = side("FW-4", "Gate stays open");
  const { text } = row({ written: "left", outcome: "new_left", left: undefined, right });
  expect(text).toContain("new FW-4 Gate stays open");
  expect(text).not.toContain("left out");
  expect(row({ written: "left", outcome: "new_left", left: undefined, right, included: false }).text).toContain(
    "left out FW-4",
  );
  const blocked = row({ outcome: "blocked", left: undefined, right, included: false, faults: ["Grade: no way back"] });
  expect(blocked.text).toContain("FW-4 Gate stays open");
});

it("what goes to the left stands there as what goes to the right stands at the right", () => {
  const right = side("TB-3", "Doors close");
  const fresh = row({ written: "left", outcome: "new_left", left: null, right, steps: 2 });
  expect(fresh.text.indexOf("new · 2 steps")).toBeLessThan(fresh.text.indexOf("TB-3 Doors close"));
  expect(fresh.text).toContain("new · 2 steps");
  const gone = row({ written: "left", outcome: "gone_left", included: false, absence: "gone there", right });
  expect(gone.text).toContain("gone there");
});
