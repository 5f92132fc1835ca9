// What is asked again after something was saved.
import { QueryClient } from "@tanstack/react-query";
import { expect, test } from "vitest";
import { someRoute } from "@/features/route/some-route";
import { keys, refresh } from "./keys";

test("a route that was saved is what the answer says at once, and all about it is asked again", async () => {
  const queries = new QueryClient({ defaultOptions: { queries: { staleTime: Infinity } } });
  const before = someRoute({ id: "r", version: 2 });
  const about = [keys.route("r"), keys.versions("r"), keys.schema("r", "left"), keys.routes, keys.overview];
  const other = [keys.route("another"), keys.versions("another"), keys.systems];
  for (const key of [...about, ...other]) queries.setQueryData(key, before);
  await refresh.saved(queries, { ...before, version: 3 });
  expect(queries.getQueryData(keys.route("r"))).toMatchObject({ version: 3 });
  const stale = (key: readonly unknown[]) => queries.getQueryState(key)?.isInvalidated;
  expect(about.map(stale)).toEqual(about.map(() => true));
  expect(other.map(stale)).toEqual(other.map(() => false));
});
