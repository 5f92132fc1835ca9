// What the parts of a rule's panel are given.
import type { Schemas } from "@/api/client";
import type { Lane, Route } from "../route/draft";
import type { endOf } from "../route/use-schema";
import type { Fill } from "./fills";

type End = ReturnType<typeof endOf>;
export type RuleProps = {
  route: Route;
  lane: Lane;
  target: string;
  schema?: Schemas["FieldSchema"];
  rule?: Fill;
  /** The end that is read, and the one that is written. */
  from: End;
  to: End;
  faults: Schemas["Fault"][];
  setRule: (r: Fill | undefined) => void;
  /** Whether what the rule does is taken back on the way into the end that is read. */
  back: boolean;
  /** How it fills that end by itself, where it does not take back what it does. */
  wayBack?: Fill;
  setWayBack: (back: boolean, into?: Fill) => void;
  /** What the rule makes of the item that is tried, and which item that is. */
  result?: Schemas["PreviewValue"];
  of?: string;
  /** Its place among those that the lane covers. */
  at: number;
};
