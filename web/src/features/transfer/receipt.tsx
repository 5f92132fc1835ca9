// What a transfer will do, and what it did: one table, planned before and with what came of it afterwards.
import { Link } from "react-router";
import type { Schemas } from "@/api/client";
import { count, kindsWord, kindWord, lossWord } from "@/lib/words";
import { EndMark } from "@/ui/disc";
import { Tip } from "@/ui/tip";
import { Scroll } from "@/ui/scroll";

type Receipt = Schemas["Receipt"];
type Doing = Schemas["Doing"];

export const doingWord: Record<Doing, string> = {
  create: "Create",
  create_left: "Create at left",
  create_again: "Create again",
  create_again_left: "Create again at left",
  update: "Update",
  update_left: "Update left",
  pair: "Pair",
  keep: "Keep right",
  keep_left: "Keep left",
  let_go: "Let go",
  remember: "Remember",
};

const doingHelp: Record<Doing, string> = {
  create: "A new item at the right.",
  create_left: "A new item at the left, made from one that is new at the right.",
  create_again: "The item is gone at the right and is created once more.",
  create_again_left: "The item is gone at the left and is created once more.",
  update: "Fields of an item at the right are written, and perhaps of the left one.",
  update_left: "Fields of an item at the left are written, as they were edited at the right.",
  pair: "Two items that are there become a pair; what differs is written as decided.",
  keep: "The right's values are kept, by decision; nothing is written.",
  keep_left: "The left's values are kept, by decision; nothing is written.",
  let_go: "The pair ends; nothing is removed.",
  remember: "Both ends came to the same value by themselves; nothing is written.",
};

/** Where the changes of a cell are listed. */
const outcomeOf: Partial<Record<Doing, Schemas["Outcome"]>> = {
  create: "new_right",
  create_left: "new_left",
  create_again: "gone_right",
  create_again_left: "gone_left",
  update: "update_right",
  update_left: "update_left",
  pair: "adopt",
};

const order = Object.keys(doingWord) as Doing[];
const kindsInOrder = Object.keys(kindWord) as Schemas["Kind"][];

/** What is done to items, without what is only remembered: together it is all that is included. */
export const included = (r: Receipt) => r.lines.filter((l) => l.doing !== "remember");
export const sum = (list: number[]) => list.reduce((a, b) => a + b, 0);

export function ReceiptTable({ receipt }: { receipt: Receipt }) {
  const over = !!receipt.transfer;
  const lines = included(receipt);
  const doings = order.filter((d) => lines.some((l) => l.doing === d));
  const kinds = kindsInOrder.filter((k) => lines.some((l) => l.kind === k));
  const at = (test: (l: Schemas["ReceiptLine"]) => boolean) => lines.filter(test);
  const remembered = receipt.lines.filter((l) => l.doing === "remember");
  const cell = (list: Schemas["ReceiptLine"][], strong = false) => {
    const [planned, done, refused] = [list.map((l) => l.planned), list.map((l) => l.done), list.map((l) => l.refused)];
    const n = sum(planned);
    if (n === 0) return <span className="text-ink-3">—</span>;
    const text = over ? `${sum(done).toLocaleString("en")} of ${n.toLocaleString("en")}` : n.toLocaleString("en");
    return (
      <>
        {strong ? <b className="font-semibold">{text}</b> : text}
        {sum(refused) > 0 && <span className="block text-clash">{sum(refused).toLocaleString("en")} refused</span>}
      </>
    );
  };
  return (
    <section aria-label={over ? "What was done" : "What will be done"} className="mb-5">
      <h3 className="mb-1.5 flex items-center gap-2 font-semibold">
        {receipt.written.length === 1 && receipt.written[0] && <EndMark end={receipt.written[0]} />}
        {over ? "Done in" : "To be done in"} {receipt.written.map((end) => receipt[`${end}_system`]).join(" and ")}
      </h3>
      <Scroll aria-label="Counts by kind">
        <table className="w-full border border-hair bg-sheet">
          <thead>
            <tr className="text-left text-[11px] text-ink-3">
              <th scope="col" className="border-b border-hair px-3 py-1.5 font-normal">
                Kind
              </th>
              {doings.map((d) => (
                <th key={d} scope="col" className="border-b border-hair px-3 py-1.5 text-right font-normal">
                  <Tip own says={doingHelp[d]}>
                    {doingWord[d]}
                  </Tip>
                </th>
              ))}
              <th scope="col" className="border-b border-hair px-3 py-1.5 text-right font-normal">
                Together
              </th>
            </tr>
          </thead>
          <tbody>
            {kinds.map((k) => (
              <tr key={k} className="border-b border-hair-2">
                <th scope="row" className="px-3 py-1.5 text-left font-normal">
                  {kindWord[k]}
                </th>
                {doings.map((d) => {
                  const list = at((l) => l.kind === k && l.doing === d);
                  const outcome = outcomeOf[d];
                  const to = `../dry-run?${new URLSearchParams({ kind: k, ...(outcome && { outcome }) }).toString()}`;
                  return (
                    <td key={d} className="px-3 py-1.5 text-right">
                      {list.length > 0 ? (
                        <Link to={to} className="underline decoration-hair underline-offset-3 hover:decoration-ink">
                          {cell(list)}
                        </Link>
                      ) : (
                        cell(list)
                      )}
                    </td>
                  );
                })}
                <td className="px-3 py-1.5 text-right">{cell(at((l) => l.kind === k))}</td>
              </tr>
            ))}
            <tr>
              <th scope="row" className="px-3 py-1.5 text-left font-semibold">
                All
              </th>
              {doings.map((d) => (
                <td key={d} className="px-3 py-1.5 text-right">
                  {cell(at((l) => l.doing === d))}
                </td>
              ))}
              <td className="px-3 py-1.5 text-right">{cell(lines, true)}</td>
            </tr>
          </tbody>
        </table>
      </Scroll>
      {remembered.length > 0 && (
        <p className="mt-1.5 text-ink-2">
          Besides, {count(sum(remembered.map((l) => l.planned)), "pair")} came to the same value at both ends by{" "}
          {sum(remembered.map((l) => l.planned)) === 1 ? "itself" : "themselves"}: this is remembered, and nothing is
          written. They are not counted as changes.
        </p>
      )}
      {receipt.links_back > 0 && (
        <p className="mt-1.5 text-ink-2">
          {count(receipt.links_back, "item gets", "items get")} a link to the counterpart at the other end, each when
          its change is done.
        </p>
      )}
    </section>
  );
}

/** Losses by cause: as planned, and as they are in the ledger. */
export function ReceiptLosses({ receipt }: { receipt: Receipt }) {
  const over = !!receipt.transfer;
  const { losses } = receipt;
  if (losses.length === 0) return null;
  const planned = sum(losses.map((l) => l.planned));
  const happened = (l: Schemas["ReceiptLoss"]) => l.foreseen + l.not_foreseen;
  return (
    <section aria-label="Losses by cause" className="mb-5">
      <h3 className="mb-1.5 font-semibold">
        Losses by cause: {planned.toLocaleString("en")} foreseen
        {over && `, ${sum(losses.map(happened)).toLocaleString("en")} in the ledger`}
      </h3>
      <table className="w-full border border-hair bg-sheet">
        <thead>
          <tr className="text-left text-[11px] text-ink-3">
            <th scope="col" className="w-[110px] border-b border-hair px-3 py-1.5 font-normal">
              Value is
            </th>
            <th scope="col" className="border-b border-hair py-1.5 font-normal">
              Because
            </th>
            <th scope="col" className="w-[100px] border-b border-hair px-3 text-right font-normal">
              Foreseen
            </th>
            {over && (
              <th scope="col" className="w-[120px] border-b border-hair px-3 text-right font-normal">
                In the ledger
              </th>
            )}
          </tr>
        </thead>
        <tbody>
          {losses.map((l) => (
            <tr key={l.kind + l.why} className="border-b border-hair-2 last:border-0">
              <td className="px-3 py-1 text-loss">{lossWord[l.kind]}</td>
              <td className="py-1">{l.why}</td>
              <td className="px-3 py-1 text-right">{l.planned.toLocaleString("en")}</td>
              {over && (
                <td className="px-3 py-1 text-right">
                  {happened(l).toLocaleString("en")}
                  {l.not_foreseen > 0 && (
                    <span className="block text-clash">{l.not_foreseen.toLocaleString("en")} not foreseen</span>
                  )}
                </td>
              )}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

/** What is not in the transfer, by what it waits for. */
export function Waits({ plan }: { plan: Schemas["PlanFigure"] }) {
  const why: Partial<Record<string, string>> = {
    adopt: "need a decision: same item, or a new one",
    conflict: "are in conflict and wait for a decision",
    held_right: "were edited at the right, which this route does not write back",
    blocked: "can't be transferred with these rules",
    gone_right: "are gone at the right: create again, or let go",
    gone_left: "are gone at the left; the right stays",
    out_of_scope_left: "left the scope; the right stays",
    taken_off_left: "had comments or past changes removed at the left",
    unreadable: "can't be read now",
    new_left: "were left out, or need something that is left out",
    new_right: "were left out, or need something that is left out",
    update_right: "were left out, or need something that is left out",
    update_left: "were left out, or need something that is left out",
  };
  const out = plan.outcomes.filter((o) => !o.included && o.count > 0);
  if (out.length === 0) return null;
  return (
    <section aria-label="Not in this transfer" className="mb-5">
      <h3 className="mb-1.5 font-semibold">Not in this transfer: {count(sum(out.map((o) => o.count)), "change")}</h3>
      <ul className="divide-y divide-hair-2 border border-hair bg-sheet">
        {out.map((o) => (
          <li key={o.outcome + o.kind} className="px-3 py-1.5">
            <Link
              className="underline decoration-hair underline-offset-3 hover:decoration-ink"
              to={`../dry-run?${new URLSearchParams({ outcome: o.outcome, kind: o.kind, out: "1" }).toString()}`}
            >
              {o.count.toLocaleString("en")} {o.count === 1 ? kindWord[o.kind]?.toLowerCase() : kindsWord(o.kind)}
            </Link>{" "}
            <span className="text-ink-2">{why[o.outcome]}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}
