// One field of a change: what both ends hold, the rule between, and what is decided about it.
import { useQuery } from "@tanstack/react-query";
import { RadioGroup } from "radix-ui";
import { api, take, type Schemas } from "@/api/client";
import { keys } from "@/api/keys";
import { otherEnd } from "@/lib/lanes";
import { count, reasonWord } from "@/lib/words";
import { Button, Check, Trouble } from "@/ui/basics";
import { Losses } from "@/ui/losses";
import { Shown } from "@/ui/pieces";
import { Pop } from "@/ui/pop";
import type { Decide } from "./detail";
import type { Decisions } from "./use-plan";

const grid = "grid grid-cols-[38px_calc(50%_-_135px)_128px_minmax(0,1fr)]";

type End = Schemas["End"];
type Decision = Schemas["FieldDecision"];

/** What can be decided about a field of a change that writes an end, or writes it first, with the word on its button. */
export function choicesOf(f: Schemas["FieldDetail"], written: End): [Decision, string][] {
  const read = otherEnd(written);
  const out: [Decision, string][] = [];
  if (f.may_be_written) out.push([`write_${written}`, read]);
  out.push(["leave", "wait"]);
  if (f.back?.may_be_written) out.push([`write_${read}`, written]);
  // Where an edit is not carried back, keeping it is all that can be done for it.
  out.push([`keep_${written}`, f.back ? "differ" : written]);
  // What takes the left stands at the left.
  if (!f.back && written === "left") out.reverse();
  return f.merge ? [["merge", "both"], ...out] : out;
}

/** The decision that takes what an end holds, in a change that writes an end, or writes it first; none if that can't be. */
export function taking(f: Schemas["FieldDetail"], end: End, written: End): Decision | undefined {
  if (end !== written) return f.may_be_written ? `write_${written}` : undefined;
  return f.back?.may_be_written ? `write_${otherEnd(written)}` : `keep_${written}`;
}

type Props = {
  f: Schemas["FieldDetail"];
  kind: Schemas["Kind"];
  /** The end that the change writes, or writes first. */
  written: End;
  /** Everything is written, since the item is new. */
  fresh: boolean;
  decisions: Decisions;
  decide: Decide;
};

export function FieldRow({ f, kind, written, fresh, decisions, decide }: Props) {
  const { locked } = decisions;
  const out = f.decision === "leave";
  const conflict = f.can_be_decided;
  const merges = f.decision === "merge";
  const writes = merges || f.decision === "write_right" || f.decision === "write_left";
  const read = otherEnd(written);
  const goes: Decision = f.merge ? "merge" : f.back?.goes ? `write_${read}` : `write_${written}`;
  const may = fresh || writes || !!f.merge || (f.back?.goes ? f.back.may_be_written : f.may_be_written);
  /** What each end becomes, if it is written. */
  const becomes = (end: End) => {
    if (merges) return f.merge?.[end];
    if (f.decision !== `write_${end}`) return undefined;
    return end === read ? f.back?.diff : fresh ? f.write : f.diff;
  };
  const [atRead, atWritten] = [becomes(read), becomes(written)];
  const set = (decision: Schemas["FieldDecision"]) => decide({ fields: { [f.field]: decision } });
  const lossy = f.losses.length > 0;
  /** What is lost on the way back, or in a merge. The list below the fields has the others. */
  const lost = merges ? f.merge?.losses : f.decision === `write_${read}` ? f.back?.losses : undefined;
  const ofRule = f.back?.field_name ?? (written === "left" ? f.from_name : f.field_name);
  const ofRead = (
    <>
      <b className="block text-[11px] font-medium text-ink-2">{atRead ? `${ofRule} becomes` : ofRule}</b>
      <Shown value={atRead ?? f[read]} />
      {lost && <Losses losses={lost} />}
      {conflict && f.back?.may_be_written && !atRead && (
        <div className="mt-1 border-t border-dotted border-ink-3 pt-0.5 text-ink-2">
          <span className="block text-[11px]">the {written} would write</span>
          <Shown value={f.back.write} />
        </div>
      )}
    </>
  );
  const stays =
    f.decision === `keep_${written}`
      ? f.back
        ? "stays different, by decision"
        : "stays, by decision"
      : f.back
        ? f.field_name
        : "stays";
  const ofWritten = (
    <>
      <b className="block text-[11px] font-medium text-ink-2">
        {written === "left" && `${f.field_name} `}
        {atWritten ? (fresh ? "will hold" : "becomes") : stays}
      </b>
      <Shown value={atWritten ?? f[written]} />
      {conflict && !fresh && !atWritten && f.may_be_written && (
        <div className="mt-1 border-t border-dotted border-ink-3 pt-0.5 text-ink-2">
          <span className="block text-[11px]">the {read} would write</span>
          <Shown value={f.write} />
        </div>
      )}
      {f.cannot.map((why) => (
        <p key={why} className="mt-1 text-clash first-letter:uppercase">
          {why}
        </p>
      ))}
      {f.decision === `write_${written}` && f.cut_off && (
        <span className="border-b-[1.5px] border-dotted border-loss break-words text-loss" title="cut off">
          {f.cut_off}
        </span>
      )}
    </>
  );
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
        {written === "left" ? ofWritten : ofRead}
      </div>
      <div className="px-1 py-1.5 text-center text-[11px] text-ink-2">
        <span className={lossy ? "text-loss" : ""}>
          {(f.back || written === "left") && <span aria-hidden>{signOf(f.decision)} </span>}
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
              {choicesOf(f, written).map(([d, word]) => (
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
                <Alike f={f} kind={kind} written={written} decisions={decisions} />
              </Pop>
            </span>
          </>
        )}
      </div>
      <div className="min-w-0 border-r-[3px] border-end-right bg-[color-mix(in_srgb,var(--right-wash)_45%,transparent)] px-2.5 py-1.5">
        {written === "left" ? ofRead : ofWritten}
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
  return f.back ? "Let differ in" : decision === "keep_left" ? "Keep left for" : "Keep right for";
}

/** The same decision for every change that has the field for the same reason, with how many each would change. */
function Alike({ f, kind, written, decisions }: Pick<Props, "f" | "kind" | "written" | "decisions">) {
  const body = (decision: Schemas["FieldDecision"]) => ({ kind, field: f.field, reason: f.reason, decision });
  const list = choicesOf(f, written).map(([d]) => d);
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
