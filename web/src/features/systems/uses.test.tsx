import { renderToStaticMarkup } from "react-dom/server";
import { MemoryRouter } from "react-router";
import { expect, it } from "vitest";
import type { Schemas } from "@/api/client";
import { BeyondLimits, Uses } from "./uses";

const use = (more: Partial<Schemas["Use"]>): Schemas["Use"] => ({
  route: "r1",
  name: "Lift control moves",
  other: "Tallybench",
  to_settle: 0,
  faults: [],
  beyond: [],
  ...more,
});

const shown = (element: React.ReactNode) => renderToStaticMarkup(<MemoryRouter>{element}</MemoryRouter>);
const text = (html: string) => html.replaceAll(/<[^>]+>/g, "");

it("routes whose rules fit are not worth a line", () => {
  expect(shown(<Uses uses={[use({})]} />)).toBe("");
});

it("faults are told with their field, and those that are not are counted", () => {
  const faults = [
    { field: "Title", message: "the left end has no field" },
    { field: "", message: "one of the ends has no such kind" },
  ];
  const html = shown(<Uses uses={[use({ to_settle: 7, faults })]} />);
  expect(html).toContain('href="/routes/r1/rules"');
  for (const told of ["7 problems to fix", "Title: the left end has no field", "and 5 more"]) {
    expect(text(html)).toContain(told);
  }
});

it("limits are told beside the field that they are too low for", () => {
  const title = { kind: "test_case", field: "name", target: "Title", met: 1400, limit: 250, shortened: true } as const;
  const size = { field: "@attachments", target: "Files", met: 3_000_000, limit: 1_000_000, shortened: false };
  const uses = [use({ beyond: [title, { ...title, ...size }] })];
  const name = text(shown(<BeyondLimits uses={uses} kind="test_case" field="name" />));
  expect(name).toContain("Title in Tallybench takes 250 of 1,400 characters, shortened by the rule");
  expect(name).not.toContain("Files");
  const files = text(shown(<BeyondLimits uses={uses} kind="test_case" field="@attachments" />));
  expect(files).toMatch(/Files in Tallybench takes 1(\.0)? MB, the largest has 3(\.0)? MB/);
  expect(shown(<BeyondLimits uses={uses} kind="defect" field="name" />)).toBe("");
});
