// What a plan has nothing to do for, beside its changes: pairs in step and pairs that were let go, each as a list.
import { useState } from "react";
import { api, take, type Schemas } from "@/api/client";
import { keys } from "@/api/keys";
import { count } from "@/lib/words";
import { Disc } from "@/ui/disc";
import { Opens } from "@/ui/list-sheet";
import { useDraft } from "../route/draft";
import { PairSheet } from "../route/pair-sheet";
import type { Plan } from "./listed";

type Which = Schemas["QuietPairs"];

export function BesideThese({ plan }: { plan: Plan }) {
  const [open, setOpen] = useState<Which>();
  return (
    <span className="flex items-center gap-[7px] px-1 text-ink-2">
      <Disc shape="in_step" label="" />
      <span>
        Besides these:{" "}
        <Opens onClick={() => setOpen("in_step")}>{`${plan.in_step.toLocaleString("en")} in step`}</Opens>
        {plan.let_go > 0 && (
          <>
            , <Opens onClick={() => setOpen("let_go")}>{`${count(plan.let_go, "pair")} let go`}</Opens>
          </>
        )}
      </span>
      {open && <Pairs plan={plan} which={open} close={() => setOpen(undefined)} />}
    </span>
  );
}

function Pairs({ plan, which, close }: { plan: Plan; which: Which; close: () => void }) {
  const { route } = useDraft();
  const counted = which === "in_step" ? plan.in_step : plan.let_go;
  return (
    <PairSheet
      route={route}
      title={which === "in_step" ? `${count(plan.in_step, "pair")} in step` : `${count(plan.let_go, "pair")} let go`}
      close={close}
      queryKey={(find) => keys.pairs(plan.id, which, find)}
      page={(find, after) =>
        take(
          api.GET("/plans/{id}/pairs", {
            params: { path: { id: plan.id }, query: { which, find: find || undefined, after } },
          }),
        )
      }
      note={(total) =>
        total > counted && (
          <p className="mb-2 text-ink-2">
            {count(total - counted, "pair is", "pairs are")} listed and not counted: both items are gone.
          </p>
        )
      }
    />
  );
}
