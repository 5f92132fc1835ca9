// One change, opened: every field with both ends, the rule between, and what to do about it.
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, take, type Schemas } from "@/api/client";
import { exact } from "@/lib/format";
import { count, evidenceWords, kindWord, lossWord, reasonWord, versionWord } from "@/lib/words";
import { Button, Check, Loading, Trouble } from "@/ui/basics";
import { Shown, StaysAt } from "@/ui/pieces";

type Detail_ = Schemas["ChangeDetail"];
type FieldDetail = Schemas["FieldDetail"];
type Decide = (body: Schemas["DecisionBody"]) => void;

const grid = "grid grid-cols-[38px_calc(50%_-_135px)_128px_1fr]";

export function Detail({ plan, seq, locked, decide }: { plan: string; seq: number; locked: boolean; decide: Decide }) {
  const detail = useQuery({
    queryKey: ["change", plan, seq],
    queryFn: () => take(api.GET("/plans/{id}/changes/{seq}", { params: { path: { id: plan, seq } } })),
    placeholderData: keepPreviousData,
  });
  return (
    <section
      aria-label="Differences"
      className="max-h-[52%] min-h-[96px] shrink-0 overflow-auto border-t-2 border-hair bg-sheet"
    >
      {detail.isPending && <Loading what="the differences" />}
      {detail.error && <Trouble error={detail.error} />}
      {detail.data && <Change d={detail.data} locked={locked} decide={decide} />}
    </section>
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

function Change({ d, locked, decide }: { d: Detail_; locked: boolean; decide: Decide }) {
  const c = d.change;
  const review = c.outcome === "adopt" && c.evidence?.how === "similar";
  const conflicts = d.fields.filter((f) => f.can_be_decided);
  const gone = ["gone_right", "gone_left", "left_scope"].includes(c.outcome);
  const all = (decision: Schemas["FieldDecision"]) =>
    decide({ fields: Object.fromEntries(conflicts.map((f) => [f.field, decision])) });
  return (
    <>
      <header className="sticky top-0 z-10 grid grid-cols-[1fr_auto] items-center gap-x-4 gap-y-1 border-b border-hair bg-wash px-3 py-1.5">
        <div className="flex min-w-0 flex-wrap items-baseline gap-x-3">
          <b className="font-semibold">{kindWord[c.kind]}</b>
          <span className="mono text-ink-2">
            {stamp(c.left)}
            {c.right && <> → {stamp(c.right)}</>}
          </span>
          {c.evidence && <span className="text-ink-2">taken to be one: {evidenceWords(c.evidence)}</span>}
        </div>
        <div className="flex items-center gap-2">
          {review && !locked && (
            <>
              <Button
                aria-pressed={c.included && !c.as_new}
                go={c.included && !c.as_new}
                onClick={() => decide({ included: true, as_new: false })}
              >
                They are the same
              </Button>
              <Button aria-pressed={c.as_new} go={c.as_new} onClick={() => decide({ as_new: true })}>
                Make it anew
              </Button>
            </>
          )}
          {gone && !locked && (
            <>
              {c.outcome === "gone_right" && (
                <Button aria-pressed={c.as_new} go={c.as_new} onClick={() => decide({ as_new: !c.as_new })}>
                  Make it anew
                </Button>
              )}
              <Button aria-pressed={c.let_go} go={c.let_go} onClick={() => decide({ let_go: !c.let_go })}>
                Let it go
              </Button>
            </>
          )}
          {conflicts.length > 1 && !c.as_new && !locked && (
            <>
              {conflicts.every((f) => f.may_be_written) && (
                <Button onClick={() => all("write")}>Left wins in {conflicts.length}</Button>
              )}
              <Button onClick={() => all("keep_right")}>Right stays in {conflicts.length}</Button>
            </>
          )}
        </div>
      </header>
      {c.absence && (
        <p className="border-b border-hair-2 px-3 py-2 text-ink-2">
          It is {c.absence}.{" "}
          {!gone
            ? "Nothing is written until it can be read."
            : c.outcome === "gone_right"
              ? "Nothing is made again unless you say so; let go, the pair is not told again."
              : "Nothing is removed at the right. Let go, the pair is not carried or told again."}
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
          <b className="font-semibold">The right would refuse it</b>
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
        <FieldRow key={f.field} f={f} fresh={c.outcome === "new_right" || c.as_new} locked={locked} decide={decide} />
      ))}
      {d.losses.length > 0 && (
        <div className="px-3 py-2 text-loss">
          <b className="font-semibold">{count(d.losses.length, "loss", "losses")} foreseen</b>
          <ul className="text-ink-2">
            {d.losses.slice(0, 30).map((l, n) => (
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

function FieldRow({ f, fresh, locked, decide }: { f: FieldDetail; fresh: boolean; locked: boolean; decide: Decide }) {
  const out = f.decision === "leave";
  const conflict = f.can_be_decided;
  const may = fresh || f.may_be_written || f.decision === "write";
  const set = (decision: Schemas["FieldDecision"]) => decide({ fields: { [f.field]: decision } });
  const lossy = f.losses.length > 0;
  return (
    <div className={`${grid} border-b border-hair-2 ${out && !conflict ? "text-ink-3" : ""}`}>
      <div className="flex items-start justify-center pt-1">
        <Check
          state={f.decision === "write" ? "in" : "out"}
          label={`Write ${f.field_name}`}
          disabled={locked || !may}
          onChange={() => set(f.decision === "write" ? "leave" : "write")}
        />
      </div>
      <div className="min-w-0 border-l-[3px] border-end-left bg-[color-mix(in_srgb,var(--left-wash)_45%,transparent)] px-2.5 py-1.5">
        <b className="block text-[11px] font-medium text-ink-2">{f.field_name}</b>
        <Shown value={f.left} />
      </div>
      <div className="px-1 py-1.5 text-center text-[11px] text-ink-2">
        <span className={lossy ? "text-loss" : ""}>{f.rule}</span>
        {!fresh && f.rule !== "origin" && <span className="block text-ink-3">{reasonWord[f.reason]}</span>}
        {conflict && !fresh && !locked && (
          <div
            role="radiogroup"
            aria-label={`Decide ${f.field_name}`}
            className="mt-1 inline-flex overflow-hidden rounded border border-hair"
          >
            {(
              [
                ["write", "left"],
                ["leave", "wait"],
                ["keep_right", "right"],
              ] as const
            )
              .filter(([d]) => may || d !== "write")
              .map(([d, word]) => (
                <button
                  key={d}
                  type="button"
                  role="radio"
                  aria-checked={f.decision === d}
                  onClick={() => set(d)}
                  className={`px-1.5 py-px ${f.decision === d ? "bg-ink text-paper" : ""}`}
                >
                  {word}
                </button>
              ))}
          </div>
        )}
      </div>
      <div className="min-w-0 border-r-[3px] border-end-right bg-[color-mix(in_srgb,var(--right-wash)_45%,transparent)] px-2.5 py-1.5">
        <b className="block text-[11px] font-medium text-ink-2">
          {f.decision === "write"
            ? fresh
              ? "will hold"
              : "becomes"
            : f.decision === "keep_right"
              ? "stays, by decision"
              : "stays"}
        </b>
        <Shown value={f.decision !== "write" ? f.right : fresh ? f.write : f.diff} />
        {f.decision === "write" && f.cut_off && (
          <span className="border-b-[1.5px] border-dotted border-loss break-words text-loss" title="cut off">
            {f.cut_off}
          </span>
        )}
      </div>
    </div>
  );
}
