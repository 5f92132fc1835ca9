// @vitest-environment jsdom
import { cleanup, render, screen, waitFor } from "@testing-library/react";
import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { afterEach, expect, test, vi } from "vitest";
import { Scroll } from "./scroll";

afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
  vi.unstubAllGlobals();
});

/** jsdom lays nothing out: the size of what a box holds is that of its text. */
function laidOut() {
  vi.stubGlobal(
    "ResizeObserver",
    class {
      observe = () => undefined;
      disconnect = () => undefined;
    },
  );
  vi.spyOn(HTMLElement.prototype, "clientHeight", "get").mockReturnValue(20);
  vi.spyOn(HTMLElement.prototype, "scrollHeight", "get").mockImplementation(function (this: HTMLElement) {
    return (this.textContent ?? "").length;
  });
}

const long = "a long change that does not fit into its line";

test("a box is a stop of the keyboard while something of its text is out of sight", async () => {
  laidOut();
  const { rerender } = render(<Scroll aria-label="What changed">short</Scroll>);
  expect(screen.queryByLabelText("What changed"), "it has no name either").toBeNull();
  rerender(<Scroll aria-label="What changed">{long}</Scroll>);
  await waitFor(() => expect(screen.getByRole("group", { name: "What changed" }).tabIndex).toBe(0));
  rerender(<Scroll aria-label="What changed">short</Scroll>);
  await waitFor(() => expect(screen.getByText("short").tabIndex).toBe(-1));
});

test("a box with a control of its own is no stop besides", () => {
  laidOut();
  render(
    <Scroll as="section" aria-label="Item">
      {long} <button type="button">Open</button>
    </Scroll>,
  );
  expect(screen.getByRole("region", { name: "Item" }).tabIndex).toBe(-1);
});

test("every view scrolls in such a box, or in a list whose rows or whose frame the keyboard reaches", () => {
  const wrong: string[] = [];
  const features = join(import.meta.dirname, "../features");
  for (const file of readdirSync(features, { recursive: true, encoding: "utf8" })) {
    if (!file.endsWith(".tsx") || file.endsWith(".test.tsx")) continue;
    for (const [tag] of readFileSync(join(features, file), "utf8").matchAll(
      /<[A-Za-z]+\s[^<]*?overflow-(?:[xy]-)?(?:auto|scroll)/g,
    )) {
      // A list of lines that are made as they come into sight has its ref.
      if (!tag.includes("ref={") && !tag.includes("tabIndex={")) wrong.push(`${file}: ${tag.slice(0, 60)}`);
    }
  }
  expect(wrong).toEqual([]);
});
