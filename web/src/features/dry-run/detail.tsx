// One change, opened: every field with both ends, the rule between, and what to do about it.
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, take, type Schemas } from "@/api/client";
import { keys } from "@/api/keys";
import { exact } from "@/lib/format";
import { useQueryParts } from "@/lib/use-query";
import { useKeys } from "@/app/keys";
import { count, evidenceWords, kindWord, lossWord, versionWord } from "@/lib/words";
import { Button, Loading, Trouble } from "@/ui/basics";
import { StaysAt } from "@/ui/pieces";
import { Scroll } from "@/ui/scroll";
import { FieldRow, taking } from "./field-row";
import type { Decisions } from "./use-plan";

type Detail_ = Schemas["ChangeDetail"];
export type Decide = (body: Schemas["DecisionBody"]) => void;

export function Detail({ plan, seq, decisions }: { plan: string; seq: number; decisions: Decisions }) {
  const detail = useQuery({
    queryKey: keys.change(plan, seq),
    queryFn: () => take(api.GET("/plans/{id}/changes/{seq}", { params: { path: { id: plan, seq } } })),
    placeholderData: keepPreviousData,
  });
  return (
    <Scroll as="section" aria-label="Differences" className="min-h-0 flex-1 bg-sheet">
      {detail.isPending && <Loading what="the differences" />}
      {detail.error && <Trouble error={detail.error} />}
      {detail.data && <Change key={seq} d={detail.data} decisions={decisions} />}
    </Scroll>
  );
}

function stamp(side: Schemas["Side"] | null | undefined) {
  if (!side) return null;
  return (
    <>
      {side.key}
      {side.version && ` · version ${versionWord(side.version)}`}
      {side.modified && ` · ${exact(side.modified.at)}${side.modified.by ? `, ${side.modified.by}` : ""}`}
    </>
  );
}

/** The field in which the keyboard is, if it is one that can be decided. */
const fieldInHand = () => document.activeElement?.closest<HTMLElement>("[data-field]")?.dataset.field;

function Change({ d, decisions }: { d: Detail_; decisions: Decisions }) {
  const { locked } = decisions;
  const [, put] = useQueryParts();
  const c = d.change;
  const decide: Decide = (body) => decisions.decide(c.seq, body);
  const review = c.outcome === "adopt" && c.evidence?.how === "similar";
  const conflicts = d.fields.filter((f) => f.can_be_decided);
  const gone = ["gone_right", "gone_left", "out_of_scope_left", "out_of_scope_right"].includes(c.outcome);
  /** Gone where it would be made again. */
  const again = c.outcome === `gone_${c.written}`;
  const all = (decision: Schemas["FieldDecision"], of = conflicts) =>
    of.length > 0 && decide({ fields: Object.fromEntries(of.map((f) => [f.field, decision])) });
  /** Takes what an end holds, in every field in which that can be. */
  const takeAll = (of: Detail_["fields"], end: Schemas["End"]) => {
    const taken = of.flatMap((f) => {
      const decision = taking(f, end, c.written);
      return decision ? [[f.field, decision] as const] : [];
    });
    return taken.length > 0 && decide({ fields: Object.fromEntries(taken) });
  };
  const bothWays = d.fields.some((f) => f.back);
  const keeps = conflicts.some((f) => f.back) ? "Use" : "Keep";
  const takes = (end: Schemas["End"]) => (end === c.written ? keeps : "Use");
  const way = bothWays ? " ↔ " : c.written === "left" ? " ← " : " → ";
  /** The field in hand, or all that can be decided. */
  const inHand = () => {
    const one = conflicts.filter((f) => f.field === fieldInHand());
    return one.length > 0 ? one : conflicts;
  };
  useKeys([
    {
      key: "1",
      does: review ? "Same item" : "Use or keep left: in the field in hand, or in all of the item",
      run: () => (review ? decide({ included: true, as_new: false }) : takeAll(inHand(), "left")),
    },
    {
      key: "2",
      does: review ? "Create a new item" : "Leave it to be decided later",
      run: () => (review ? decide({ as_new: true }) : all("leave", inHand())),
    },
    {
      key: "3",
      does: "Use or keep right",
      run: () => !review && takeAll(inHand(), "right"),
    },
    {
      key: "4",
      does: "Let both ends differ, where a rule runs both ways",
      run: () =>
        !review &&
        all(
          `keep_${c.written}`,
          inHand().filter((f) => f.back),
        ),
    },
    {
      key: "5",
      does: "Use both edits, where they are in different parts",
      run: () =>
        !review &&
        all(
          "merge",
          inHand().filter((f) => f.merge),
        ),
    },
  ]);
  return (
    <>
      <header className="sticky top-0 z-10 grid grid-cols-[1fr_auto] items-center max-[900px]:grid-cols-1 [@media(max-height:520px)]:static gap-x-4 gap-y-1 border-b border-hair bg-wash px-3 py-1.5">
        <div className="flex min-w-0 flex-wrap items-baseline gap-x-3">
          <b className="font-semibold">{kindWord[c.kind]}</b>
          <span className="mono text-ink-2">
            {stamp(c.left)}
            {c.right && (
              <>
                {c.left ? way : "← "}
                {stamp(c.right)}
              </>
            )}
          </span>
          {c.evidence && (
            <span className="text-ink-2">
              {review ? "Likely match, " : "paired because of: "}
              {evidenceWords(c.evidence)}
            </span>
          )}
        </div>
        <div className="flex flex-wrap items-center gap-2">
          {review && !locked && (
            <>
              <Button
                aria-pressed={c.included && !c.as_new}
                go={c.included && !c.as_new}
                onClick={() => decide({ included: true, as_new: false })}
              >
                Same item
              </Button>
              <Button aria-pressed={c.as_new} go={c.as_new} onClick={() => decide({ as_new: true })}>
                Create a new item
              </Button>
            </>
          )}
          {gone && !locked && (
            <>
              {again && (
                <Button aria-pressed={c.as_new} go={c.as_new} onClick={() => decide({ as_new: !c.as_new })}>
                  Create a new item
                </Button>
              )}
              <Button aria-pressed={c.let_go} go={c.let_go} onClick={() => decide({ let_go: !c.let_go })}>
                Let it go
              </Button>
            </>
          )}
          {conflicts.length > 1 && !c.as_new && !locked && (
            <>
              {(["left", "right"] as const)
                .filter((end) => conflicts.every((f) => taking(f, end, c.written)))
                .map((end) => (
                  <Button key={end} onClick={() => takeAll(conflicts, end)}>
                    {takes(end)} {end} for {count(conflicts.length, "field")}
                  </Button>
                ))}
            </>
          )}
        </div>
      </header>
      {!c.included && c.lacks.length > 0 && (
        <p className="border-b border-hair-2 px-3 py-2 text-ink-2">
          Left out, because it needs what is left out:{" "}
          {c.lacks.map((l, n) => (
            <span key={l.seq}>
              {n > 0 && ", "}
              <button type="button" className="underline" onClick={() => put({ change: String(l.seq) })}>
                {l.key || l.title}
              </button>
            </span>
          ))}
          . Including this one includes {c.lacks.length === 1 ? "it" : "them"} too.
        </p>
      )}
      {c.absence && (
        <p className="border-b border-hair-2 px-3 py-2 text-ink-2">
          It is {c.absence}.{" "}
          {!gone
            ? "Nothing is written until it can be read."
            : again
              ? "Nothing is created again unless you decide so. If you let the pair go, it is not listed again."
              : `Nothing is removed at the ${c.written}. If you let the pair go, it is not transferred or listed again.`}
        </p>
      )}
      {c.faults.length > 0 && (
        <ul role="alert" className="border-b border-hair-2 bg-clash-wash px-3 py-2 text-clash">
          {c.faults.map((f) => (
            <li key={f}>{f}</li>
          ))}
        </ul>
      )}
      {c.refusals.length > 0 && (
        <div className="border-b border-hair-2 bg-clash-wash px-3 py-2 text-clash">
          <b className="font-semibold">{bothWays ? "It would be refused" : `The ${c.written} would refuse it`}</b>
          <ul>
            {c.refusals.map((r) => (
              <li key={r}>{r}</li>
            ))}
          </ul>
        </div>
      )}
      {d.fields.length === 0 && c.faults.length === 0 && !c.absence && (
        <p className="px-3 py-3 text-ink-2">
          {c.outcome === "adopt"
            ? "Both hold the same. The two become a pair; nothing is written."
            : "No field differs."}
        </p>
      )}
      {d.fields.map((f) => (
        <FieldRow
          key={f.field}
          f={f}
          kind={c.kind}
          fresh={c.outcome === "new_right" || c.outcome === "new_left" || c.as_new}
          written={c.written}
          decisions={decisions}
          decide={decide}
        />
      ))}
      {d.losses.length > 0 && (
        <div className="px-3 py-2 text-loss">
          <b className="font-semibold">{count(d.losses.length, "loss", "losses")} foreseen</b>
          <ul className="text-ink-2">
            {d.losses.map((l, n) => (
              <li key={n}>
                <span className="text-loss">{lossWord[l.kind]}</span> in{" "}
                {d.fields.find((f) => f.field === l.field)?.field_name ?? l.field}: {l.why}.{" "}
                <span className="text-ink-3">{cut(l.before)}</span>
                <StaysAt after={l.after} />
              </li>
            ))}
          </ul>
        </div>
      )}
    </>
  );
}

const cut = (text: string) => (text.length > 140 ? `${text.slice(0, 139)}…` : text);
