// What lanes are called, and which end they read and which they write.
import type { Schemas } from "@/api/client";
import { count } from "./words";

type Named = { name?: string; left_kind: string; right_kind: string };

/** What people call a lane. Its id, where only that tells it from another one between the same kinds; else none. */
export function ownName<L extends Named>(lane: L, lanes: L[], id: (lane: L) => string): string | undefined {
  const alike = lanes.filter((l) => l.left_kind === lane.left_kind && l.right_kind === lane.right_kind);
  return lane.name || (alike.length > 1 ? id(lane) : undefined);
}

type End = Schemas["End"];
type Directed = { direction?: Schemas["Direction"] };

/** The end that is not this one. */
export const otherEnd = (end: End): End => (end === "left" ? "right" : "left");

/** The end that a lane writes; of one that runs both ways, the one that its rules fill first. */
export const writtenEnd = (lane: Directed | undefined): End => (lane?.direction === "to_left" ? "left" : "right");

/** The end that a lane reads; of one that runs both ways, the one that its rules read first. */
export const readEnd = (lane: Directed | undefined): End => otherEnd(writtenEnd(lane));

/** The kind of a lane at an end. */
export const kindAt = <K>(lane: { left_kind: K; right_kind: K }, end: End): K =>
  end === "left" ? lane.left_kind : lane.right_kind;

/** Which way values go, as the columns of both ends stand. */
export const arrow = (lane: Directed | undefined): string =>
  lane?.direction === "both" ? "↔" : lane?.direction === "to_left" ? "←" : "→";

/** A lane with one of its policies as it is now. */
export const withPolicy = <L extends Schemas["Lane"]>(lane: L, now: Partial<Schemas["Policies"]>): L => ({
  ...lane,
  policies: { ...lane.policies, ...now },
});

/** The message after a lane was turned; nothing where there is no more to it. */
export function turnedWords(
  { lost, both_ways }: Pick<Schemas["TurnedLane"], "lost" | "both_ways">,
  direction: Schemas["Direction"],
): string | undefined {
  const back = direction === "both" ? [`${count(both_ways, "rule")} of this lane can run both ways, and will`] : [];
  const gone =
    lost.length > 0
      ? [
          `${count(lost.length, "rule")} removed, because ${lost.length === 1 ? "it" : "they"} can’t run that way: ${lost.join(", ")}`,
        ]
      : [];
  return [...back, ...gone].join(". ") || undefined;
}

type Linking = Directed & { policies?: { link_back?: boolean } };

/** The ends that lanes write. */
export const writtenEnds = (lanes: Directed[]): End[] =>
  (["left", "right"] as const).filter((end) =>
    lanes.some((lane) => lane.direction === "both" || writtenEnd(lane) === end),
  );

/** The ends at which items get links to what was made of them. */
export const linkedEnds = (lanes: Linking[]): End[] =>
  (["left", "right"] as const).filter((end) => lanes.some((lane) => lane.policies?.link_back && readEnd(lane) === end));

/** What the systems at some ends are called. */
export const namesOf = (route: Record<End, { system_name: string }>, ends: End[]): string =>
  ends.map((end) => route[end].system_name).join(" and ");
