// What can be chosen for a conflict, in words, and which parts of a merge are still to be chosen.
import type { Schemas } from "@/api/client";

export type Take = Schemas["Take"];
export type Pick = Schemas["Pick"];
/** What is known of a choice: what it writes, if it can be made. */
type Choice = { take: Take } & Partial<Schemas["ChoiceDetail"]>;
type Part = Schemas["PartDetail"];

/** The keys that choose, in the order of the buttons. */
export const takeKey: Record<Take, string> = { left: "l", merge: "m", right: "r", different: "d" };

/** What stands on the button of a choice. */
export function takeWord(choice: Choice): string {
  switch (choice.take) {
    case "left":
      return choice.right ? "Use left" : "Keep left";
    case "right":
      return choice.left ? "Use right" : "Keep right";
    case "merge":
      return "Merge both";
    case "different":
      return "Let them differ";
  }
}

/** What a choice does, in a sentence. */
export function takeHelp(choice: Choice): string {
  switch (choice.take) {
    case "left":
      return choice.right ? "The right gets what the left holds." : "The left stays as it is; the right too.";
    case "right":
      return choice.left ? "The left gets what the right holds." : "The right stays as it is; the left too.";
    case "merge":
      return "Both ends get what you put together of both edits.";
    case "different":
      return "Nothing is written; both ends keep what they hold until one of them changes.";
  }
}

/** What was chosen, after the fact. */
export const takenWord: Record<Take, string> = {
  left: "left used",
  right: "right used",
  merge: "merged",
  different: "left different",
};

export const pickWord: Record<Pick, string> = { left: "Left", right: "Right", both: "Both", base: "As before" };

/** The parts of a merge that both ends edited, each with its place among all parts. */
export const clashesOf = (parts: Part[]): number[] => parts.flatMap((p, n) => (p.part === "clash" ? [n] : []));

/** How many steps a value is made of, after the edit that it shows. */
export const stepsOf = (value: Schemas["ValueDiff"]): number =>
  value.shape === "steps" ? value.steps.filter((s) => s.after != null).length : 0;

/** How many steps stand before each part of a merge, by what is picked so far; of what is not, as many as the longer edit has. */
export function stepsBefore(parts: Part[], picks: Record<number, Pick>): number[] {
  let sum = 0;
  return parts.map((part, n) => {
    const before = sum;
    if (part.part === "made") sum += stepsOf(part.value);
    else {
      const [left, right] = [stepsOf(part.left), stepsOf(part.right)];
      const by = { left, right, both: left + right, base: stepsOf(part.base) };
      const pick = picks[n];
      sum += pick ? by[pick] : Math.max(left, right);
    }
    return before;
  });
}

/** The picks in order, if there is one for each part that both ends edited. */
export function pickedAll(parts: Part[], picks: Record<number, Pick>): Pick[] | undefined {
  const all = clashesOf(parts).map((n) => picks[n]);
  return all.every((p) => p !== undefined) ? all : undefined;
}

/** How a conflict ended. */
export const endedWord: Record<Schemas["Ended"], string> = {
  carried: "transferred as decided",
  agreed: "both ends hold the same by themselves",
  withdrawn: "one end was changed back",
  moot: "its rule or pair is gone",
  policy: "decided by the lane’s policy",
};

type Shown = { generation: number; state: string };

/** Whether a conflict is still what was shown: the same values, open or decided as it was. */
export const isAsShown = (now: Shown, shown: Shown): boolean =>
  now.generation === shown.generation && now.state === shown.state;
