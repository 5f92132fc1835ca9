// One lane of a proof: agreement field by field, and every list of what is not as it should be.
import type { Schemas } from "@/api/client";
import { percent } from "@/lib/format";
import { kindAt, writtenEnd } from "@/lib/lanes";
import { absenceWord, causeWord, count, lossWord } from "@/lib/words";
import { Bar } from "@/ui/basics";
import { Disc } from "@/ui/disc";
import { StaysAt } from "@/ui/pieces";
import { Tip } from "@/ui/tip";
import { WholeList } from "@/ui/whole-list";
import { anyFieldName, fieldName } from "../route/use-schema";
import { valueText } from "../systems/value";
import { unexplained } from "./kinds-table";

type LaneProof = Schemas["LaneProof"];
type Props = {
  lane: LaneProof;
  field?: string;
  schema?: Schemas["RouteSchema"];
  choose: (field: string | undefined) => void;
};

export function LaneView(props: Props) {
  return (
    <div className="grid grid-cols-[minmax(300px,380px)_minmax(0,1fr)] gap-5 max-[1000px]:grid-cols-1">
      <Fields {...props} />
      <div className="min-w-0">
        <Lists {...props} />
      </div>
    </div>
  );
}

function Fields({ lane, field, schema, choose }: Props) {
  return (
    <section aria-label="Agreement by field" className="self-start">
      <table className="w-full border border-hair bg-sheet">
        <thead>
          <tr className="text-left text-[11px] text-ink-3">
            <th className="border-b border-hair px-3 py-1.5 font-normal">Field</th>
            <th className="border-b border-hair font-normal">Agrees</th>
            <th className="border-b border-hair px-3 text-right font-normal">
              <Tip own says={`Differ by decision, or because the ${writtenEnd(lane)} changed the value when saving`}>
                By decision
              </Tip>
            </th>
            <th className="border-b border-hair px-3 text-right font-normal">With loss</th>
          </tr>
        </thead>
        <tbody>
          {lane.fields.map((f) => (
            <tr key={f.field} className={`border-b border-hair-2 last:border-0 ${field === f.field ? "bg-wash" : ""}`}>
              <td className="px-3 py-1.5">
                <button
                  type="button"
                  className={`text-left hover:underline ${field === f.field ? "font-semibold" : ""}`}
                  aria-pressed={field === f.field}
                  onClick={() => choose(field === f.field ? undefined : f.field)}
                >
                  {fieldName(schema, writtenEnd(lane), kindAt(lane, writtenEnd(lane)), f.field)}
                </button>
              </td>
              <td className="whitespace-nowrap">
                <Bar
                  part={f.agree}
                  whole={f.compared}
                  tone={
                    unexplained(lane, f.field) > 0
                      ? "var(--clash)"
                      : f.agree + (f.settled ?? 0) === f.compared
                        ? "var(--ok)"
                        : "var(--ink-3)"
                  }
                  label={`agrees ${percent(f.agree, f.compared)}`}
                />{" "}
                {f.agree} of {f.compared}
              </td>
              <Behind n={f.settled ?? 0} open={() => choose(f.field)} />
              <Behind n={f.with_loss} tone="text-loss" open={() => choose(f.field)} />
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

/** A count of a field; the lists beside it show what it counts. */
function Behind({ n, tone = "", open }: { n: number; tone?: string; open: () => void }) {
  return (
    <td className="px-3 text-right">
      {n > 0 ? (
        <button type="button" className={`hover:underline ${tone}`} onClick={open}>
          {n.toLocaleString("en")}
        </button>
      ) : (
        <span className="text-ink-3">0</span>
      )}
    </td>
  );
}

const key = (...keys: string[]) => <span className="mono text-ink-2">{keys.filter(Boolean).join(" · ")}</span>;
const whereGone = (a: Schemas["AbsentItem"]) => `${absenceWord[a.what]} at the ${a.end}`;
const odd = (cause?: Schemas["DifferenceCause"] | null) => (cause === "unexplained" ? "text-clash" : "text-ink-2");

function Lists({ lane, field, schema }: Props) {
  const written = writtenEnd(lane);
  const name = (id: string) => fieldName(schema, written, kindAt(lane, written), id);
  const users = schema?.[written]?.catalogue.users ?? [];
  const text = (v: Schemas["Value"]) => valueText(v, users) || "empty";
  const at = (d: Schemas["Difference"]) => {
    const [expected, found] = [text(d.expected), text(d.found)];
    return written === "left" ? { left: found, right: expected } : { left: expected, right: found };
  };
  const differences = lane.differences.filter((d) => !field || d.field === field);
  const losses = lane.losses.filter((l) => !field || l.loss.field === field);
  const whole = !field;
  return (
    <>
      {differences.length === 0 && (field || (lane.missing.length === 0 && !lane.absent?.length)) && (
        <p className="mb-3 rounded-lg border border-hair bg-sheet p-4 text-ok">
          {field ? "This field agrees in every pair." : "Every pair agrees in every field."}
        </p>
      )}
      <WholeList
        title={`${count(differences.length, "field differs", "fields differ")}, in ${count(new Set(differences.map((d) => d.left_key)).size, "item")}`}
        label="Differences"
        items={differences}
        height={76}
        causeOf={(d) => causeWord[d.cause]}
        textOf={(d) => `${d.left_key} ${d.right_key} ${d.title} ${name(d.field)}`}
        file={{
          name: "differences",
          heads: ["Left", "Right", "Title", "Field", "Expected", "Found", "Cause"],
          cells: (d) => [
            d.left_key,
            d.right_key,
            d.title,
            name(d.field),
            text(d.expected),
            text(d.found),
            causeWord[d.cause],
          ],
        }}
        row={(d) => (
          <div className="px-3 py-2">
            <p className="truncate">
              {key(d.left_key, d.right_key)} {d.title} <b className="font-semibold">{name(d.field)}</b>
            </p>
            <p className="grid grid-cols-2 gap-3">
              <span className="truncate border-l-[3px] border-end-left pl-2" title={at(d).left}>
                {at(d).left}
              </span>
              <span className="truncate border-r-[3px] border-end-right pr-2" title={at(d).right}>
                {at(d).right}
              </span>
            </p>
            <p className={odd(d.cause)}>{causeWord[d.cause]}</p>
          </div>
        )}
      />
      <WholeList
        title={`${count(lane.missing.length, "item")} without a counterpart`}
        label="Missing"
        items={whole ? lane.missing : []}
        causeOf={(m) => (m.cause ? causeWord[m.cause] : "no cause")}
        textOf={(m) => `${m.key} ${m.title}`}
        file={{
          name: "missing",
          heads: ["Left", "Title", "Cause"],
          cells: (m) => [m.key, m.title, m.cause ? causeWord[m.cause] : ""],
        }}
        row={(m) => (
          <p className="truncate px-3 py-1">
            {key(m.key)} {m.title}
            {m.cause && <span className={odd(m.cause)}> · {causeWord[m.cause]}</span>}
          </p>
        )}
      />
      <WholeList
        title={`${count(lane.absent?.length ?? 0, "pair")} with a missing item`}
        label="Not there"
        items={whole ? (lane.absent ?? []) : []}
        causeOf={whereGone}
        textOf={(a) => `${a.left_key} ${a.right_key} ${a.title}`}
        file={{
          name: "not-there",
          heads: ["Left", "Right", "Title", "What"],
          cells: (a) => [a.left_key, a.right_key, a.title, whereGone(a)],
        }}
        row={(a) => (
          <p className="truncate px-3 py-1">
            {key(a.left_key, a.right_key)} {a.title} <span className="text-ink-2">· {whereGone(a)}</span>
          </p>
        )}
      />
      <WholeList
        title={`${count(lane.files?.not_read.length ?? 0, "file")} that could not be read`}
        label="Files not read"
        items={whole ? (lane.files?.not_read ?? []) : []}
        textOf={(f) => `${f.left_key} ${f.right_key} ${f.name}`}
        file={{
          name: "files-not-read",
          heads: ["Item", "File", "Why"],
          cells: (f) => [f.end === "left" ? f.left_key : f.right_key, f.name, f.why],
        }}
        row={(f) => (
          <p className="px-3 py-1">
            {key(f.end === "left" ? f.left_key : f.right_key)} {f.name} <span className="text-ink-2">· {f.why}</span>
          </p>
        )}
      />
      <WholeList
        title={
          <>
            <Disc shape="loss" label="" />
            {count(losses.length, "loss", "losses")}
          </>
        }
        label="Losses"
        items={losses}
        causeOf={(l) => lossWord[l.loss.kind]}
        textOf={(l) => `${l.left_key} ${name(l.loss.field)} ${l.loss.before}`}
        file={{
          name: "losses",
          heads: ["Left", "Right", "Field", "Value is", "Original", "Now"],
          cells: (l) => [
            l.left_key,
            l.right_key,
            name(l.loss.field),
            lossWord[l.loss.kind],
            l.loss.before,
            l.loss.after,
          ],
        }}
        row={(l) => (
          <p className="truncate px-3 py-1" title={l.loss.before}>
            {key(l.left_key)} {name(l.loss.field)}: <span className="text-loss">{lossWord[l.loss.kind]}</span>{" "}
            <span className="text-ink-2">{l.loss.before}</span>
            <StaysAt after={l.loss.after} />
          </p>
        )}
      />
    </>
  );
}

/** Losses that stand, and that no plan had shown before they happened. */
export function Unforeseen({ list, schema }: { list: Schemas["LedgerLine"][]; schema?: Schemas["RouteSchema"] }) {
  const name = (id: string) => anyFieldName(schema, id);
  return (
    <WholeList
      title={
        <>
          <Disc shape="loss" label="" />
          Not foreseen by any plan: {count(list.length, "loss", "losses")}
        </>
      }
      label="Losses not foreseen"
      items={list}
      height={48}
      causeOf={(l) => l.loss.why}
      textOf={(l) => `${l.left_key} ${l.right_key} ${l.loss.before}`}
      file={{
        name: "not-foreseen",
        heads: ["Left", "Right", "Field", "Original", "Now", "Because"],
        cells: (l) => [l.left_key, l.right_key, name(l.loss.field), l.loss.before, l.loss.after, l.loss.why],
      }}
      row={(l) => (
        <div className="grid grid-cols-[150px_minmax(0,1fr)] gap-3 px-3 py-1.5">
          {key(l.left_key, l.right_key)}
          <span className="min-w-0">
            <span className="break-words">
              {name(l.loss.field)}: {l.loss.before} <span className="text-ink-2">became</span>{" "}
              {l.loss.after || "nothing"}
            </span>
            <span className="block text-[11px] text-ink-2">{l.loss.why}</span>
          </span>
        </div>
      )}
    />
  );
}
