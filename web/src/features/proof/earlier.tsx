// The proofs of a route that are kept, and which of them is looked at.
import { useInfiniteQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, take } from "@/api/client";
import { keys } from "@/api/keys";
import { ago, exact } from "@/lib/format";
import { count } from "@/lib/words";
import { Button, Loading, Trouble } from "@/ui/basics";
import { Pop } from "@/ui/pop";
import { Scroll } from "@/ui/scroll";

export function Earlier({ route, shown }: { route: string; shown: string }) {
  return (
    <Pop label="All proofs" title="Proofs of this route">
      <List route={route} shown={shown} />
    </Pop>
  );
}

function List({ route, shown }: { route: string; shown: string }) {
  const list = useInfiniteQuery({
    queryKey: keys.proofs(route),
    queryFn: ({ pageParam }) =>
      take(api.GET("/routes/{id}/proofs/list", { params: { path: { id: route }, query: { before: pageParam } } })),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (last) => last.next ?? undefined,
  });
  if (list.isPending) return <Loading what="the proofs" />;
  if (list.error) return <Trouble error={list.error} />;
  return (
    <div className="w-[380px]">
      <h3 className="mb-2 font-semibold">Proofs are kept for ever</h3>
      <Scroll as="ol" className="max-h-[300px]" aria-label="Proofs">
        {list.data.pages
          .flatMap((p) => p.proofs)
          .map((p) => (
            <li key={p.id} className="flex items-baseline justify-between gap-3 py-0.5">
              <Link
                to={`?proof=${p.id}`}
                aria-current={p.id === shown || undefined}
                className={`underline decoration-hair underline-offset-3 ${p.id === shown ? "font-semibold" : ""}`}
                title={ago(p.at)}
              >
                {exact(p.at)}
              </Link>
              <span className={p.unexplained ? "text-clash" : "text-ink-2"}>
                {p.unexplained
                  ? `${p.unexplained.toLocaleString("en")} unexplained`
                  : p.waits
                    ? count(p.waits, "item waits", "items wait")
                    : "agrees"}
              </span>
            </li>
          ))}
      </Scroll>
      {list.hasNextPage && (
        <Button className="mt-2" disabled={list.isFetching} onClick={() => void list.fetchNextPage()}>
          Older proofs
        </Button>
      )}
    </div>
  );
}
