// Before a transfer: all that it will do, on one page, and the button that begins it.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, take, type Schemas } from "@/api/client";
import { keys, refresh } from "@/api/keys";
import { span } from "@/lib/format";
import { count } from "@/lib/words";
import { Button, ButtonLink, Foot, Loading, Trouble } from "@/ui/basics";
import { whyNot } from "../dry-run/listed";
import { useDraft } from "../route/draft";
import { included, ReceiptLosses, ReceiptTable, sum, Waits } from "./receipt";

export function Before({ plan }: { plan: Schemas["PlanFigure"] }) {
  const { route } = useDraft();
  const queries = useQueryClient();
  const receipt = useQuery({
    queryKey: keys.receipt(plan.id, plan.undoable, plan.included),
    queryFn: () => take(api.GET("/plans/{id}/receipt", { params: { path: { id: plan.id } } })),
  });
  const begin = useMutation({
    mutationFn: () => take(api.POST("/plans/{id}/transfer", { params: { path: { id: plan.id } } })),
    onSuccess: () => refresh.route(queries, route.id),
  });
  if (receipt.isPending) return <Loading what="what will be done" />;
  if (receipt.error)
    return (
      <div className="p-8">
        <Trouble error={receipt.error} retry={() => void receipt.refetch()} />
      </div>
    );
  const r = receipt.data;
  const changes = sum(included(r).map((l) => l.planned));
  return (
    <>
      <div className="flex-1 px-5 py-5">
        <div className="mx-auto max-w-[1100px]">
          <h2 className="mb-1 text-[16px] font-semibold">
            Transfer {count(changes, "change")} {between(r)}
          </h2>
          <p className="mb-4 text-ink-2">
            As decided in the dry run of version {plan.route_version}.{" "}
            {r.estimate &&
              `About ${count(r.estimate.calls.right, "call")} to ${r.right_system} and ${r.estimate.calls.left.toLocaleString("en")} to ${r.left_system}, ${span(r.estimate.seconds)}, plus retries.`}
          </p>
          <ReceiptTable receipt={r} />
          <Waits plan={plan} />
          <ReceiptLosses receipt={r} />
          <section aria-label="What can't be undone" className="mb-5 rounded-lg border border-hair bg-sheet px-4 py-3">
            <h3 className="font-semibold">What can’t be undone</h3>
            <p className="text-ink-2">
              Hovrel does not remove what it created in {r.written.map((end) => r[`${end}_system`]).join(" or ")}, nor
              write back the values that it replaced there. Both stay in the journal of the transfer. You can pause or
              stop at any time; changes in hand are finished first, and what was done stays.
            </p>
          </section>
          <Trouble error={begin.error} />
        </div>
      </div>
      <Foot>
        {route.transfer && (
          <Link className="text-ink-2 underline decoration-hair underline-offset-3" to="?show=last">
            Last transfer
          </Link>
        )}
        <ButtonLink to="../dry-run">Back to the dry run</ButtonLink>
        <Button go why={whyNot(plan, route.version)} disabled={begin.isPending} onClick={() => begin.mutate()}>
          Transfer {count(changes, "change")}
        </Button>
      </Foot>
    </>
  );
}

/** Which way a transfer goes. */
function between(r: Schemas["Receipt"]): string {
  if (r.written.length !== 1) return `between ${r.left_system} and ${r.right_system}`;
  return r.written[0] === "left"
    ? `from ${r.right_system} to ${r.left_system}`
    : `from ${r.left_system} to ${r.right_system}`;
}
