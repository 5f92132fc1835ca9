// The same decision for conflicts of the same rule and reason, with what it is about before it is made.
import { useState } from "react";
import type { Schemas } from "@/api/client";
import { count, reasonWord } from "@/lib/words";
import { Button, Check, Loading, Trouble } from "@/ui/basics";
import { Sheet } from "@/ui/dialog";
import { VirtualList } from "@/ui/virtual-list";
import { isAsShown, takeHelp, takeWord, type Take } from "./takes";
import { latestOf, useSettle, useSimilar } from "./use-conflicts";

type Props = { of: Schemas["ConflictDetail"]; close: () => void };

export function Similar({ of, close }: Props) {
  const { conflict: c } = of;
  return (
    <Sheet wide open onOpenChange={(open) => !open && close()} title={`${c.field_name}: ${reasonWord[c.reason]}`}>
      <Inside of={of} close={close} />
    </Sheet>
  );
}

function Inside({ of, close }: Props) {
  const similar = useSimilar(of.conflict.id);
  const { settle } = useSettle();
  const [out, setOut] = useState<ReadonlySet<string>>(new Set());
  if (similar.isPending) return <Loading what="the conflicts" />;
  if (similar.error) return <Trouble error={similar.error} />;
  const { items, total } = similar.data;
  const taken = items.filter((i) => !out.has(i.conflict.id));
  const toggle = (id: string) => {
    const next = new Set(out);
    if (!next.delete(id)) next.add(id);
    setOut(next);
  };
  const choices = of.choices.filter((choice) => choice.take !== "merge");
  // What can't be chosen for one of them is left to a decision of its own.
  const may = (take: Take) => taken.filter((i) => i.takes.includes(take)).map((i) => i.conflict);
  /** Decides for what is listed, and for nothing else; what was read before a decision was taken back may still stand here. */
  const settleListed = async (take: Take) => {
    const latest = await latestOf(similar);
    const byId = new Map(latest?.items.map((i) => [i.conflict.id, i.conflict]));
    const shown = may(take);
    const list = shown.flatMap((c) => {
      const now = byId.get(c.id);
      return now && isAsShown(now, c) ? [now] : [];
    });
    if (list.length === shown.length) settle.mutate({ list, take }, { onSuccess: close });
  };
  return (
    <>
      <p className="mb-2 text-ink-2">
        {count(total, "conflict is", "conflicts are")} open for the same rule and reason.
        {items.length < total && ` The newest ${items.length.toLocaleString("en")} are listed.`}
      </p>
      <Trouble error={settle.error} />
      <VirtualList
        label="Similar conflicts"
        items={items}
        keyOf={(i) => i.conflict.id}
        className="h-[44vh] border border-hair"
        row={(i) => (
          <div className="grid grid-cols-[32px_96px_minmax(0,1fr)_minmax(0,1fr)] items-baseline gap-2 py-1 pr-3">
            <span className="flex justify-center">
              <Check
                state={out.has(i.conflict.id) ? "out" : "in"}
                label={`${i.conflict.left_key} ${i.conflict.title}`}
                onChange={() => toggle(i.conflict.id)}
              />
            </span>
            <span className="mono truncate text-ink-2" title={i.conflict.title}>
              {i.conflict.left_key}
            </span>
            <span className="truncate border-l-[3px] border-end-left pl-2" title={i.left}>
              {i.left || <span className="text-ink-3">empty</span>}
            </span>
            <span className="truncate border-l-[3px] border-end-right pl-2" title={i.right}>
              {i.right || <span className="text-ink-3">empty</span>}
            </span>
          </div>
        )}
      />
      <div className="mt-3 flex flex-wrap justify-end gap-2">
        {choices.map((choice) => {
          const list = may(choice.take);
          return (
            <Button
              key={choice.take}
              title={takeHelp(choice)}
              disabled={list.length === 0 || settle.isPending}
              onClick={() => void settleListed(choice.take)}
            >
              {takeWord(choice)} for {list.length.toLocaleString("en")}
            </Button>
          );
        })}
      </div>
    </>
  );
}
