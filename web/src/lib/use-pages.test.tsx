// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, cleanup, renderHook, waitFor } from "@testing-library/react";
import type { ReactNode } from "react";
import { afterEach, expect, it } from "vitest";
import { keys } from "@/api/keys";
import { usePages } from "./use-pages";

afterEach(cleanup);

it("asks for one page after the other, from where the one before ended, and for none after the last", async () => {
  const asked: (number | undefined)[] = [];
  const page = async (after: number | undefined) => {
    asked.push(after);
    const from = after ?? 0;
    return { items: [from, from + 1], total: 5, next: from < 2 ? from + 2 : null };
  };
  const queries = new QueryClient();
  const wrapper = ({ children }: { children: ReactNode }) => (
    <QueryClientProvider client={queries}>{children}</QueryClientProvider>
  );
  const { result } = renderHook(() => usePages({ queryKey: keys.overview, page }), { wrapper });
  await waitFor(() => expect(result.current.items).toEqual([0, 1]));
  expect(result.current.first?.total).toBe(5);
  act(() => result.current.more());
  await waitFor(() => expect(result.current.items).toEqual([0, 1, 2, 3]));
  act(() => result.current.more());
  expect(asked).toEqual([undefined, 2]);
});
