// How a kind is built: depth in folders, markup in its texts, links that lead to nothing.
import { Link } from "react-router";
import type { Schemas } from "@/api/client";
import { itemPath } from "@/lib/paths";
import { count, kindsWord, kindWord } from "@/lib/words";
import { Bar } from "@/ui/basics";
import { DoubleGroups, doublesWords } from "./doubles";

type Props = {
  system: string;
  container: string;
  kind: string;
  survey: Schemas["Survey"];
};

export function Shape({ system, container, kind, survey }: Props) {
  const found = survey.kinds.find((k) => k.kind === kind);
  const depths = found?.depths?.items ?? [];
  const markup = found?.markup ?? [];
  const dangling = survey.dangling?.filter((d) => d.kind === kind) ?? [];
  const total = found?.count ?? 0;
  return (
    <div className="grid grid-cols-2 items-start gap-6">
      <section aria-label="Depth in folders">
        <h2 className="mb-1 font-semibold">Depth in folders</h2>
        <ul className="rounded-lg border border-hair bg-sheet">
          {depths.map(
            (n, level) =>
              n > 0 && (
                <Row
                  key={level}
                  word={level === 0 ? "in no folder" : count(level, "level") + " down"}
                  n={n}
                  total={total}
                />
              ),
          )}
          {depths.length === 0 && <li className="px-4 py-3 text-ink-3">None.</li>}
        </ul>
        {!!found?.depths?.empty && (
          <p className="mt-1 text-ink-2">{count(found.depths.empty, "folder holds", "folders hold")} nothing.</p>
        )}
      </section>
      <section aria-label="Markup in use">
        <h2 className="mb-1 font-semibold">Markup in texts</h2>
        <ul className="rounded-lg border border-hair bg-sheet">
          {markup.map((m) => (
            <Row key={m.value} word={m.value} n={m.count} total={total} />
          ))}
          {markup.length === 0 && <li className="px-4 py-3 text-ink-3">Nothing but plain paragraphs.</li>}
        </ul>
      </section>
      {!!found?.doubles_count && (
        <section aria-label="Likely duplicates" className="col-span-2">
          <h2 className="mb-1 font-semibold">
            Likely duplicates <span className="font-normal text-ink-2">{doublesWords(found)}</span>
          </h2>
          <div className="flex max-h-[320px] flex-col rounded-lg border border-hair bg-sheet">
            <DoubleGroups found={found} system={system} container={container} kind={kind} name={kindsWord(kind)} />
          </div>
        </section>
      )}
      <section aria-label="Broken links" className="col-span-2">
        <h2 className="mb-1 font-semibold">Broken links</h2>
        <ul className="rounded-lg border border-hair bg-sheet">
          {dangling.map((d) => (
            <li key={`${d.id} ${d.to}`} className="border-b border-hair-2 px-4 py-1.5 last:border-0">
              <Link
                className="mono underline decoration-hair underline-offset-3"
                to={itemPath(system, container, kind, d.id)}
              >
                {d.key}
              </Link>{" "}
              <span className="text-ink-2">
                points to the {kindWord[d.to_kind]?.toLowerCase() ?? d.to_kind} <span className="mono">{d.to}</span>,
                which does not exist
              </span>
            </li>
          ))}
          {dangling.length === 0 && (
            <li className="px-4 py-3 text-ink-3">No broken links among the {kindsWord(kind)}.</li>
          )}
        </ul>
      </section>
    </div>
  );
}

function Row({ word, n, total }: { word: string; n: number; total: number }) {
  return (
    <li className="grid grid-cols-[1fr_70px_60px] items-center gap-3 border-b border-hair-2 px-4 py-1.5 last:border-0">
      <span className="first-letter:uppercase">{word}</span>
      <Bar part={n} whole={total} label={`${n} of ${total}`} />
      <span className="mono text-right text-ink-2">{n.toLocaleString("en")}</span>
    </li>
  );
}
