// @vitest-environment jsdom
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, beforeEach, expect, it } from "vitest";
import { DataTable, visible, type Column } from "./data-table";

type Row = { key: string; title: string; count?: number };
const columns: Column<Row>[] = [
  { id: "key", name: "Key", value: (r) => r.key, cell: (r) => r.key },
  { id: "count", name: "Count", value: (r) => r.count, cell: (r) => r.count ?? "none", from: 1500 },
  { id: "title", name: "Title", cell: (r) => r.title },
];
const rows: Row[] = [
  { key: "OS-10", title: "b", count: 7 },
  { key: "OS-2", title: "a" },
  { key: "OS-1", title: "c", count: 30 },
];

beforeEach(() => localStorage.clear());
afterEach(cleanup);

const keys = () =>
  screen
    .getAllByRole("row")
    .slice(1)
    .map((r) => r.firstChild?.textContent);
const table = () => render(<DataTable label="Items" id="items" columns={columns} rows={rows} keyOf={(r) => r.key} />);

it("is sorted by a head, by numbers within texts, up, down, and as it was", () => {
  table();
  const head = screen.getByRole("columnheader", { name: "Key" });
  expect(keys()).toEqual(["OS-10", "OS-2", "OS-1"]);
  fireEvent.click(screen.getByRole("button", { name: "Key" }));
  expect(keys()).toEqual(["OS-1", "OS-2", "OS-10"]);
  expect(head.getAttribute("aria-sort")).toBe("ascending");
  fireEvent.click(screen.getByRole("button", { name: "Key" }));
  expect(keys()).toEqual(["OS-10", "OS-2", "OS-1"]);
  expect(head.getAttribute("aria-sort")).toBe("descending");
  expect(screen.queryByRole("button", { name: "Title" })).toBeNull();
});

it("shows more columns where there is room, and those that were chosen wherever it is", () => {
  const shown = (chosen: string | null, width: number) => visible(columns, chosen, width).count;
  expect([shown(null, 1280), shown(null, 1920)]).toEqual([false, true]);
  expect([shown('{"count":true}', 1280), shown('{"count":false}', 1920)]).toEqual([true, false]);
  // What is no choice is as if there was none.
  expect(["not json", "null", "[]", '{"count":"yes"}'].map((c) => shown(c, 1920))).toEqual([true, true, true, true]);
});

it("remembers a column that was chosen", () => {
  table();
  expect(screen.queryByRole("columnheader", { name: "Count" })).toBeNull();
  fireEvent.click(screen.getByRole("button", { name: "Columns" }));
  fireEvent.click(screen.getByRole("checkbox", { name: "Count" }));
  cleanup();
  table();
  expect(screen.getByRole("columnheader", { name: "Count" })).toBeTruthy();
});
