// One field of a change: what both ends hold, the rule between, and what is decided about it.
import { useQuery } from "@tanstack/react-query";
import { RadioGroup } from "radix-ui";
import { api, take, type Schemas } from "@/api/client";
import { keys } from "@/api/keys";
import { count, reasonWord } from "@/lib/words";
import { Button, Check, Trouble } from "@/ui/basics";
import { Losses } from "@/ui/losses";
import { Shown } from "@/ui/pieces";
import { Pop } from "@/ui/pop";
import type { Decide } from "./detail";
import type { Decisions } from "./use-plan";

const grid = "grid grid-cols-[38px_calc(50%_-_135px)_128px_minmax(0,1fr)]";

/** What can be decided about a field, with the word on its button. */
export function choicesOf(f: Schemas["FieldDetail"]): [Schemas["FieldDecision"], string][] {
  const out: [Schemas["FieldDecision"], string][] = [];
  if (f.may_be_written) out.push(["write_right", "left"]);
  out.push(["leave", "wait"]);
  if (f.back?.may_be_written) out.push(["write_left", "right"]);
  // Where the right is not carried back, keeping it is all that can be done for it.
  out.push(["keep_right", f.back ? "differ" : "right"]);
  return f.merge ? [["merge", "both"], ...out] : out;
}

/** The decision that takes what the right holds. */
export const takesRight = (f: Schemas["FieldDetail"]): Schemas["FieldDecision"] =>
  f.back?.may_be_written ? "write_left" : "keep_right";

type Props = {
  f: Schemas["FieldDetail"];
  kind: Schemas["Kind"];
  /** Everything is written, since the item is new. */
  fresh: boolean;
  /** That it is new at the left. */
  newAtLeft: boolean;
  decisions: Decisions;
  decide: Decide;
};

export function FieldRow({ f, kind, fresh, newAtLeft, decisions, decide }: Props) {
  const { locked } = decisions;
  const out = f.decision === "leave";
  const conflict = f.can_be_decided;
  const merges = f.decision === "merge";
  const writes = merges || f.decision === "write_right" || f.decision === "write_left";
  const goes = f.merge ? "merge" : f.back?.goes || newAtLeft ? "write_left" : "write_right";
  const may = fresh || writes || !!f.merge || (f.back?.goes ? f.back.may_be_written : f.may_be_written);
  /** What the left becomes, if it is written. */
  const atLeft = merges ? f.merge?.left : f.decision !== "write_left" ? undefined : newAtLeft ? f.write : f.back?.diff;
  const atRight = merges ? f.merge?.right : f.decision !== "write_right" ? undefined : fresh ? f.write : f.diff;
  const set = (decision: Schemas["FieldDecision"]) => decide({ fields: { [f.field]: decision } });
  const lossy = f.losses.length > 0;
  /** What is lost on the way into the left, or in a merge. The list below the fields has the others. */
  const lost = merges ? f.merge?.losses : f.decision === "write_left" ? f.back?.losses : undefined;
  return (
    <div data-field={f.field} className={`${grid} border-b border-hair-2 ${out && !conflict ? "text-ink-3" : ""}`}>
      <div className="flex items-start justify-center pt-1">
        <Check
          state={writes ? "in" : "out"}
          label={`Write ${f.field_name}`}
          disabled={locked || !may}
          onChange={() => set(writes ? "leave" : goes)}
        />
      </div>
      <div className="min-w-0 border-l-[3px] border-end-left bg-[color-mix(in_srgb,var(--left-wash)_45%,transparent)] px-2.5 py-1.5">
        <b className="block text-[11px] font-medium text-ink-2">
          {atLeft && !newAtLeft
            ? `${f.back?.field_name ?? f.field_name} becomes`
            : (f.back?.field_name ?? f.field_name)}
        </b>
        <Shown value={atLeft ?? f.left} />
        {lost && <Losses losses={lost} />}
        {conflict && f.back?.may_be_written && !atLeft && (
          <div className="mt-1 border-t border-dotted border-ink-3 pt-0.5 text-ink-2">
            <span className="block text-[11px]">the right would write</span>
            <Shown value={f.back.write} />
          </div>
        )}
      </div>
      <div className="px-1 py-1.5 text-center text-[11px] text-ink-2">
        <span className={lossy ? "text-loss" : ""}>
          {(f.back || newAtLeft) && <span aria-hidden>{signOf(f.decision)} </span>}
          {f.rule}
        </span>
        {!fresh && f.rule !== "origin" && <span className="block text-ink-3">{reasonWord[f.reason]}</span>}
        {conflict && !fresh && !locked && (
          <>
            <RadioGroup.Root
              aria-label={`Decide ${f.field_name}`}
              value={f.decision}
              onValueChange={(d) => set(d as Schemas["FieldDecision"])}
              orientation="horizontal"
              className="mt-1 inline-flex flex-wrap justify-center overflow-hidden rounded border border-ink-3"
            >
              {choicesOf(f).map(([d, word]) => (
                <RadioGroup.Item
                  key={d}
                  value={d}
                  title={choiceWord(d, f)}
                  className="px-1 py-px outline-offset-[-2px] data-[state=checked]:bg-ink data-[state=checked]:text-paper"
                >
                  {word}
                </RadioGroup.Item>
              ))}
            </RadioGroup.Root>
            <span className="mt-0.5 block">
              <Pop label="all like it…" title={`Decide ${f.field_name} for all like it`}>
                <Alike f={f} kind={kind} decisions={decisions} />
              </Pop>
            </span>
          </>
        )}
      </div>
      <div className="min-w-0 border-r-[3px] border-end-right bg-[color-mix(in_srgb,var(--right-wash)_45%,transparent)] px-2.5 py-1.5">
        <b className="block text-[11px] font-medium text-ink-2">
          {atRight
            ? fresh
              ? "will hold"
              : "becomes"
            : f.decision === "keep_right"
              ? f.back
                ? "stays different, by decision"
                : "stays, by decision"
              : f.back
                ? f.field_name
                : newAtLeft
                  ? f.from_name
                  : "stays"}
        </b>
        <Shown value={atRight ?? f.right} />
        {conflict && !fresh && !atRight && f.may_be_written && (
          <div className="mt-1 border-t border-dotted border-ink-3 pt-0.5 text-ink-2">
            <span className="block text-[11px]">the left would write</span>
            <Shown value={f.write} />
          </div>
        )}
        {f.cannot.map((why) => (
          <p key={why} className="mt-1 text-clash first-letter:uppercase">
            {why}
          </p>
        ))}
        {f.decision === "write_right" && f.cut_off && (
          <span className="border-b-[1.5px] border-dotted border-loss break-words text-loss" title="cut off">
            {f.cut_off}
          </span>
        )}
      </div>
    </div>
  );
}

/** Which way a field goes; both where nothing is decided, or where each end gets the other's edit. */
function signOf(decision: Schemas["FieldDecision"]): string {
  if (decision === "write_left") return "←";
  if (decision === "write_right") return "→";
  return decision === "merge" ? "⇄" : "↔";
}

function choiceWord(decision: Schemas["FieldDecision"], f: Schemas["FieldDetail"]): string {
  if (decision === "merge") return "Use both edits for";
  if (decision === "write_right") return "Use left for";
  if (decision === "write_left") return "Use right for";
  if (decision === "leave") return "Leave open for";
  return f.back ? "Let differ in" : "Keep right for";
}

/** The same decision for every change that has the field for the same reason, with how many each would change. */
function Alike({ f, kind, decisions }: Pick<Props, "f" | "kind" | "decisions">) {
  const body = (decision: Schemas["FieldDecision"]) => ({ kind, field: f.field, reason: f.reason, decision });
  const list = choicesOf(f).map(([d]) => d);
  const counts = useQuery({
    queryKey: keys.alike(decisions.plan, kind, f.field, f.reason),
    queryFn: () =>
      Promise.all(
        list.map((d) =>
          take(
            api.POST("/plans/{id}/decide", {
              params: { path: { id: decisions.plan } },
              body: { ...body(d), only_count: true },
            }),
          ),
        ),
      ),
  });
  if (counts.error) return <Trouble error={counts.error} />;
  return (
    <div className="w-[300px]">
      <p className="mb-2 text-ink-2">
        Changes of this kind whose {f.field_name} is listed for the same reason: {reasonWord[f.reason]}.
      </p>
      <div className="flex flex-col gap-2">
        {list.map((d, n) => {
          const changes = counts.data?.[n]?.changed;
          return (
            <Button key={d} disabled={!changes} onClick={() => decisions.alike(body(d))}>
              {choiceWord(d, f)} {changes === undefined ? "…" : count(changes, "change")}
            </Button>
          );
        })}
      </div>
    </div>
  );
}
