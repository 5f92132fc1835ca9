// Counts of a proof by lane: what is in scope at both ends, what is paired, what differs, what hangs on items.
import { Link } from "react-router";
import type { Schemas } from "@/api/client";
import { bytes } from "@/lib/format";
import { ownName } from "@/lib/lanes";
import { count, kindsWord, kindWord } from "@/lib/words";
import { EndMark } from "@/ui/disc";
import { Scroll } from "@/ui/scroll";
import type { Route } from "../route/draft";
import { LanePairs } from "../route/pair-sheet";
import { targetWord } from "../rules/rule-words";

const hanging = ["@attachments", "@links", "@comments", "@history"];

type LaneProof = Schemas["LaneProof"];

/** What a lane transfers, with its name where that does not say which one it is. */
export function laneWord(lane: LaneProof, lanes: LaneProof[]) {
  const name = ownName(lane, lanes, (of) => of.lane);
  return name ? `${kindWord[lane.left_kind]} · ${name}` : kindWord[lane.left_kind];
}

/** Differences of a field for which there is no reason. */
export const unexplained = (lane: LaneProof, field: string) =>
  lane.differences.filter((d) => d.field === field && d.cause === "unexplained").length;

type Props = { route: Route; proof: Schemas["ProofAnswer"]; open: (lane: string, field?: string) => void };

export function KindsTable({ route, proof, open }: Props) {
  return (
    <>
      <Scroll aria-label="Counts by kind">
        <table className="w-full min-w-[820px] border border-hair bg-sheet">
          <thead>
            <tr className="align-middle text-[11px] text-ink-3">
              <th className="border-b border-hair px-4 py-1.5 text-left font-normal">Kind</th>
              <th className="border-b border-hair px-3 text-right font-normal">
                <span className="inline-flex items-center gap-1 align-middle whitespace-nowrap">
                  <EndMark end="left" />
                  in scope at {proof.left_system}
                </span>
              </th>
              <th className="spine-cell w-[110px] border-b border-hair font-normal">
                <span className="bg-sheet px-1">paired</span>
              </th>
              <th className="border-b border-hair px-3 text-left font-normal">
                <span className="inline-flex items-center gap-1 align-middle whitespace-nowrap">
                  in scope at {proof.right_system}
                  <EndMark end="right" />
                </span>
              </th>
              <th className="border-b border-hair px-3 text-right font-normal">without a counterpart</th>
              <th className="border-b border-hair px-3 text-right font-normal">fields that differ</th>
              {hanging.map((id) => (
                <th key={id} className="border-b border-hair px-3 text-right font-normal">
                  {targetWord(id)}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {proof.lanes.map((l) => (
              <tr key={l.lane} className="border-b border-hair-2 last:border-0">
                <td className="px-4 py-2 font-medium">{laneWord(l, proof.lanes)}</td>
                <td className="px-3 text-right">
                  <InScope lane={l.lane} n={l.left_count} />
                </td>
                <td className="spine-cell text-center">
                  <span className="bg-sheet px-1 font-semibold">
                    {l.paired > 0 ? (
                      <LanePairs route={route} lane={l.lane} counted={l.paired}>
                        {l.paired.toLocaleString("en")}
                      </LanePairs>
                    ) : (
                      0
                    )}
                  </span>
                </td>
                <td className="px-3">
                  <InScope lane={l.lane} n={l.right_count} />
                </td>
                <Listed n={l.missing.length} open={() => open(l.lane)} />
                <Listed n={l.differences.length} open={() => open(l.lane)} />
                {hanging.map((id) => (
                  <Pieces
                    key={id}
                    of={l.pieces?.find((p) => p.field === id)}
                    unexplained={unexplained(l, id) > 0}
                    open={() => open(l.lane, id)}
                  />
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </Scroll>
      <div className="mt-1.5 mb-5 text-[11px] text-ink-2">
        <p>
          Found of expected, counted by pieces: files by content, links by target, comments and history by their text. +
          means only at the end that is written. “Fields that differ” counts each field of each pair once.
        </p>
        {proof.lanes.map((l) => (
          <Besides key={l.lane} lane={l} />
        ))}
      </div>
    </>
  );
}

/** What is compared beside fields: the order of items, and files that were read. */
function Besides({ lane }: { lane: Schemas["LaneProof"] }) {
  const { order, files } = lane;
  const lines: string[] = [];
  if (order && order.folders > 0)
    lines.push(
      `in ${order.same.toLocaleString("en")} of ${count(order.folders, "folder")} the items stand in the same order${order.carried ? "" : "; the order is not transferred"}`,
    );
  if (files)
    lines.push(
      `${files.read.toLocaleString("en")} of ${count(files.of, "file")} read at both ends (${bytes(files.bytes)}), ${files.same.toLocaleString("en")} identical${files.not_read.length ? `, ${files.not_read.length} could not be read` : ""}`,
    );
  if (lane.let_go) lines.push(`${count(lane.let_go, "pair")} let go`);
  if (lines.length === 0) return null;
  const word = kindsWord(lane.left_kind);
  return (
    <p>
      {word.charAt(0).toUpperCase() + word.slice(1)}: {lines.join(" · ")}
    </p>
  );
}

type PiecesProps = { of?: Schemas["PieceProof"]; unexplained: boolean; open: () => void };

function Pieces({ of, unexplained, open }: PiecesProps) {
  if (!of || of.expected + of.only_there === 0) return <td className="px-3 text-right text-ink-3">—</td>;
  return (
    <td className={`px-3 text-right ${unexplained ? "text-clash" : ""}`}>
      <button type="button" className="underline decoration-hair hover:decoration-ink" onClick={open}>
        {of.there} of {of.expected}
        {of.only_there > 0 && <span className="text-ink-3"> +{of.only_there}</span>}
      </button>
    </td>
  );
}

/** How many items a lane's scope had at one end; Scope lists them. */
const InScope = ({ lane, n }: { lane: string; n: number }) => (
  <Link className="underline decoration-hair hover:decoration-ink" to={`../scope?lane=${encodeURIComponent(lane)}`}>
    {n.toLocaleString("en")}
  </Link>
);

/** A count that opens what it counts, where there is any. */
function Listed({ n, open }: { n: number; open: () => void }) {
  return (
    <td className="px-3 text-right">
      <button type="button" disabled={!n} className="enabled:underline" onClick={open}>
        {n.toLocaleString("en")}
      </button>
    </td>
  );
}
