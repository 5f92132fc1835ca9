// What a proof comes to: three figures of different weight, what waits with a way to it, and where the losses stand.
import { Link } from "react-router";
import type { Schemas } from "@/api/client";
import { ago, exact } from "@/lib/format";
import { count } from "@/lib/words";
import { doors } from "./doors";

export function Headline({ proof }: { proof: Schemas["ProofAnswer"] }) {
  const h = proof.headline;
  const declared = proof.lanes.reduce((n, l) => n + l.losses.length, 0);
  const odd = h.unexplained_fields + h.unexplained_items;
  return (
    <section
      aria-label="What it comes to"
      className={`mb-4 rounded-lg border p-4 ${odd > 0 ? "border-clash bg-clash-wash" : "border-hair bg-sheet"}`}
    >
      <h2 className="mb-2 text-[16px] font-semibold">{grouped(h.told)}</h2>
      <div className="grid grid-cols-[auto_1fr] items-start gap-x-10">
        <dl className="flex gap-x-10">
          <Weight name="fields agree" figure={h.agrees} tone="text-ok" />
          <Weight name="items wait for you" figure={h.waits_items} tone="" />
          <Weight name="differences unexplained" figure={odd} tone={odd > 0 ? "text-clash" : "text-ink-3"} />
        </dl>
        {h.waits.length > 0 && (
          <ul aria-label="What waits">
            {h.waits.flatMap(doors).map((d) => (
              <li key={d.text}>
                <Link to={d.to} className="underline decoration-hair underline-offset-3 hover:decoration-ink">
                  {d.text}
                </Link>
              </li>
            ))}
          </ul>
        )}
      </div>
      <p className="mt-2 text-ink-2">
        Read again at both ends <span title={exact(proof.at)}>{ago(proof.at)}</span> ·{" "}
        {lossWords(declared, proof.losses_foreseen, proof.losses_unforeseen)}
      </p>
    </section>
  );
}

/** The numbers in a sentence as they are written everywhere else. */
const grouped = (sentence: string) => sentence.replaceAll(/\d{4,}/g, (n) => Number(n).toLocaleString("en"));

function Weight({ name, figure, tone }: { name: string; figure: number; tone: string }) {
  return (
    <div className={`flex flex-col-reverse justify-end ${tone}`}>
      <dt>{name}</dt>
      <dd className="text-[22px] leading-tight font-semibold">{figure.toLocaleString("en")}</dd>
    </div>
  );
}

/** How the losses that the rules declare now and those in the ledger stand to one another. */
export function lossWords(declared: number, foreseen: number, unforeseen: number): string {
  const ledger = foreseen + unforeseen;
  const odd = unforeseen
    ? `${unforeseen.toLocaleString("en")} of them not foreseen by any plan`
    : "all foreseen by a plan";
  if (declared === ledger) return `${count(declared, "loss", "losses")}, ${odd}`;
  return `${count(declared, "loss", "losses")} by the rules as they are now; ${ledger.toLocaleString("en")} recorded by transfers, ${odd}`;
}
