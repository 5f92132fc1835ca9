// The two ends of a table of values: what they come from, and what they become.
import type { Schemas } from "@/api/client";

export type Sides = {
  /** What the system is called that values come from, and the one that they go to. */
  from: string;
  to: string;
  /** The end that values come from. */
  read: Schemas["End"];
};

/** The edge by which a value shows the end that it comes from. */
export const fromEdge = ({ read }: Sides) =>
  read === "left" ? "border-l-[3px] border-l-end-left" : "border-l-[3px] border-l-end-right";

/** The edge by which a value shows the end that it goes to. */
export const toEdge = ({ read }: Sides) =>
  read === "left" ? "border-r-[3px] border-r-end-right" : "border-r-[3px] border-r-end-left";
