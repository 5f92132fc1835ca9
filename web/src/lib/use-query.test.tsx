// @vitest-environment jsdom
import { act, cleanup, render } from "@testing-library/react";
import { MemoryRouter, useLocation } from "react-router";
import { afterEach, expect, test } from "vitest";
import { useQueryParts } from "./use-query";

afterEach(cleanup);

type Put = ReturnType<typeof useQueryParts>[1];
type Only = ReturnType<typeof useQueryParts>[2];

function shown(at: string) {
  const seen: { put?: Put; only?: Only; search: string } = { search: "" };
  function Page() {
    const [, put, only] = useQueryParts();
    const { search } = useLocation();
    seen.put ??= put;
    seen.only ??= only;
    seen.search = search;
    return null;
  }
  render(
    <MemoryRouter initialEntries={[at]}>
      <Page />
    </MemoryRouter>,
  );
  // As a timer or a closure of an older page would: always by the first.
  return {
    put: (change: Parameters<Put>[0]) => seen.put?.(change),
    only: (others: Parameters<Only>[0]) => seen.only?.(others),
    search: () => seen.search,
  };
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

test("a change on top of others that take the place of all keeps nothing of before", () => {
  const page = shown("/plan?kind=defect&find=latches");
  act(() => {
    page.only({ outcome: "conflict" });
    page.put({ change: "4" });
  });
  expect(page.search()).toBe("?outcome=conflict&change=4");
});
