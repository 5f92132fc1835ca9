// @vitest-environment jsdom
import { act, cleanup, render } from "@testing-library/react";
import { MemoryRouter, useLocation } from "react-router";
import { afterEach, expect, test } from "vitest";
import { useQueryParts } from "./use-query";

afterEach(cleanup);

type Put = ReturnType<typeof useQueryParts>[1];

function shown(at: string) {
  const seen: { put?: Put; search: string } = { search: "" };
  function Page() {
    const [, put] = useQueryParts();
    const { search } = useLocation();
    seen.put ??= put;
    seen.search = search;
    return null;
  }
  render(
    <MemoryRouter initialEntries={[at]}>
      <Page />
    </MemoryRouter>,
  );
  // As a timer or a closure of an older page would: always by the first.
  return { put: (change: Parameters<Put>[0]) => seen.put?.(change), search: () => seen.search };
}

test("two changes that come together are both there", () => {
  const page = shown("/plan?kind=defect");
  act(() => {
    page.put({ find: "latches" });
    page.put({ change: "4" });
  });
  expect(page.search()).toBe("?kind=defect&find=latches&change=4");
});

test("a change by an older page keeps what came since, and what says nothing is taken away", () => {
  const page = shown("/plan");
  act(() => page.put({ find: "latches" }));
  act(() => page.put({ change: "4" }));
  act(() => page.put({ find: "", kind: "defect" }));
  expect(page.search()).toBe("?change=4&kind=defect");
});
