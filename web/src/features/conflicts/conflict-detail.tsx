// One conflict: what both ends held and hold, and the choices with what each would write.
import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "@/api/client";
import { useKeys } from "@/app/keys";
import { ago, exact } from "@/lib/format";
import { count, reasonWord } from "@/lib/words";
import { Button, Loading, Trouble } from "@/ui/basics";
import { Shown } from "@/ui/pieces";
import { Scroll } from "@/ui/scroll";
import { MergeEditor } from "./merge-editor";
import { Similar } from "./similar";
import { endedWord, isAsShown, takeHelp, takeKey, takenWord, takeWord, type Take } from "./takes";
import { latestOf, useConflict, useSettle } from "./use-conflicts";

export function ConflictDetail({ id }: { id: string }) {
  const conflict = useConflict(id);
  if (conflict.isPending) return <Loading what="the conflict" />;
  if (conflict.error)
    return (
      <div className="p-5">
        <Trouble error={conflict.error} retry={() => void conflict.refetch()} />
      </div>
    );
  const now = async () => (await latestOf(conflict))?.conflict;
  return <Detail of={conflict.data} now={now} />;
}

type DetailProps = {
  of: Schemas["ConflictDetail"];
  /** The conflict as the server has it, where what is shown may be older. */
  now: () => Promise<Schemas["ListedConflict"] | undefined>;
};

function Detail({ of, now }: DetailProps) {
  const { conflict: c } = of;
  const { settle, reopen } = useSettle();
  const [merging, setMerging] = useState(false);
  const [similar, setSimilar] = useState(false);
  const over = c.state === "closed";
  const can = (take: Take) => !over && of.choices.some((choice) => choice.take === take);
  const choose = (take: Take) => {
    if (!can(take)) return;
    if (take === "merge") setMerging(true);
    else void settleShown({ take });
  };
  /** Decides for what is shown, and for nothing else: who sees other values decides anew. */
  const settleShown = async (how: { take: Take; merge?: Schemas["MergeBody"] }, done?: () => void) => {
    const latest = await now();
    if (latest && isAsShown(latest, c)) settle.mutate({ list: [latest], ...how }, { onSuccess: done });
  };
  useKeys([
    ...(["left", "right", "merge", "different"] as const).map((take) => ({
      key: takeKey[take],
      does: takeWord(of.choices.find((choice) => choice.take === take) ?? { take }),
      run: () => choose(take),
    })),
    { key: "s", does: "Decide for similar conflicts", run: () => of.similar > 0 && !over && setSimilar(true) },
  ]);
  return (
    <Scroll as="section" aria-label={`Conflict of ${c.left_key}`} className="min-h-0 flex-1">
      <div className="flex flex-wrap items-baseline gap-x-3 gap-y-1 px-5 pt-3 pb-2">
        <h2 className="font-semibold">
          {c.field_name}: {reasonWord[c.reason]}
        </h2>
        <span className="min-w-0 truncate text-ink-2">
          <span className="mono">{c.left_key}</span> {c.title}
        </span>
        <span className="ml-auto text-ink-2" title={exact(c.opened_at)}>
          since {ago(c.opened_at)}
        </span>
        {of.plan && !over && (
          <Link className="underline" to={`/routes/${c.route}/dry-run?seq=${of.seq}`}>
            Show in the dry run
          </Link>
        )}
      </div>
      {c.refused && (
        <p role="alert" className="mx-5 mb-2 rounded-md border border-clash bg-clash-wash px-4 py-2">
          <b className="font-semibold text-clash">What was decided was refused.</b> {c.refused}
        </p>
      )}
      <div className="grid grid-cols-[minmax(0,1fr)_200px_minmax(0,1fr)]">
        <Held end="left" at={of.left} by={c.left_by} />
        <div className="flex flex-col items-stretch gap-1.5 px-3 py-2">
          {over ? (
            <p className="text-center text-ink-2">{c.ended && endedWord[c.ended]}</p>
          ) : (
            of.choices.map((choice) => (
              <Button
                key={choice.take}
                go={of.chosen?.take === choice.take && c.state === "settled"}
                aria-pressed={of.chosen?.take === choice.take && c.state === "settled"}
                title={takeHelp(choice)}
                disabled={settle.isPending}
                onClick={() => choose(choice.take)}
              >
                {takeWord(choice)}
              </Button>
            ))
          )}
          {of.similar > 0 && !over && (
            <Button aria-haspopup="dialog" onClick={() => setSimilar(true)}>
              {count(of.similar, "similar one")}…
            </Button>
          )}
          {c.state === "settled" && (
            <Button disabled={reopen.isPending} onClick={() => reopen.mutate([c])}>
              Clear the decision
            </Button>
          )}
          {of.cannot.map((why) => (
            <p key={why} className="text-clash first-letter:uppercase">
              {why}
            </p>
          ))}
        </div>
        <Held end="right" at={of.right} by={c.right_by} />
      </div>
      <div className="px-5">
        <Trouble error={settle.error ?? reopen.error} />
        {of.chosen && <ChosenLine chosen={of.chosen} state={c.state} />}
        {!over && !merging && <Would choices={of.choices} />}
        {merging && of.proposal && !over && (
          <MergeEditor
            proposal={of.proposal}
            busy={settle.isPending}
            close={() => setMerging(false)}
            save={(merge) => void settleShown({ take: "merge", merge }, () => setMerging(false))}
          />
        )}
        {of.earlier.length > 0 && <Earlier list={of.earlier} />}
      </div>
      {similar && <Similar of={of} close={() => setSimilar(false)} />}
    </Scroll>
  );
}

const look = {
  left: "border-l-[3px] border-end-left bg-[color-mix(in_srgb,var(--left-wash)_45%,transparent)]",
  right: "border-r-[3px] border-end-right bg-[color-mix(in_srgb,var(--right-wash)_45%,transparent)]",
};

type HeldProps = { end: "left" | "right"; at: Schemas["HeldAt"]; by?: string | null };

function Held({ end, at, by }: HeldProps) {
  return (
    <div className={`min-w-0 px-4 py-2 ${look[end]}`}>
      <b className="block text-[11px] font-medium text-ink-2">
        {at.field_name} at the {end}
        {at.base && ", changed since both were in step"}
      </b>
      <Shown value={at.now} />
      {by && <span className="mt-1 block text-[11px] text-ink-2">item last changed by {by}</span>}
      {at.base && (
        <div className="mt-2 border-t border-dotted border-ink-3 pt-1 text-ink-2">
          <span className="block text-[11px]">before that</span>
          <Shown value={at.base} />
        </div>
      )}
    </div>
  );
}

function ChosenLine({ chosen, state }: { chosen: Schemas["Chosen"]; state: Schemas["ConflictState"] }) {
  return (
    <div className="py-2">
      <p>
        <b className="font-medium">{state === "open" ? "Decided before" : "Decided"}:</b> {takenWord[chosen.take]}
        {chosen.by && `, by ${chosen.by}`}
        {chosen.at && <span title={exact(chosen.at)}> · {ago(chosen.at)}</span>}
        {!chosen.by && ", in a dry run"}
      </p>
      {chosen.merged && (
        <div className="mt-1 rounded border border-hair bg-sheet px-3 py-2">
          <Shown value={chosen.merged} />
        </div>
      )}
    </div>
  );
}

/** What each choice would write. */
function Would({ choices }: { choices: Schemas["ChoiceDetail"][] }) {
  const writing = choices.filter((c) => c.left || c.right);
  if (writing.length === 0) return null;
  return (
    <dl className="grid grid-cols-[190px_minmax(0,1fr)] gap-x-3 gap-y-2 border-t border-hair-2 py-2.5">
      {writing.map((c) => (
        <div key={c.take} className="contents">
          <dt className="text-ink-2">
            {takeWord(c)}: the {c.left ? "left" : "right"} becomes
          </dt>
          <dd className="min-w-0">
            {c.left ? <Shown value={c.left} /> : c.right && <Shown value={c.right} />}
            {c.losses.map((l, n) => (
              <p key={n} className="text-loss">
                {l.why}
              </p>
            ))}
          </dd>
        </div>
      ))}
    </dl>
  );
}

function Earlier({ list }: { list: Schemas["Earlier"][] }) {
  return (
    <details className="border-t border-hair-2 py-2.5">
      <summary className="cursor-pointer text-ink-2">{count(list.length, "earlier form")} of this conflict</summary>
      <ol className="mt-2 space-y-3">
        {list.map((e) => (
          <li key={e.generation} className="grid grid-cols-[140px_minmax(0,1fr)_minmax(0,1fr)] gap-3">
            <span className="text-ink-2" title={exact(e.at)}>
              {ago(e.at)}
              <span className="block">{reasonWord[e.reason]}</span>
              {e.chosen && <span className="block">{takenWord[e.chosen.take]}</span>}
            </span>
            <div className="min-w-0">
              <Shown value={e.left} />
            </div>
            <div className="min-w-0">
              <Shown value={e.right} />
            </div>
          </li>
        ))}
      </ol>
    </details>
  );
}
