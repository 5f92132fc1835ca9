// What a line of the record says.
import type { Schemas } from "@/api/client";

type Line = Pick<Schemas["Recorded"], "what" | "why" | "field_name" | "end">;

/** A call besides the fields: its sort, and what it is about. */
function callWord(call: string): string {
  const [sort = "", ...rest] = call.split(" ");
  const about = rest.join(" ");
  switch (sort) {
    case "back":
      return "Link to its counterpart";
    case "move":
      return `Next state: ${about}`;
    case "file":
      return `File ${about}`;
    case "remove":
      return `File ${about} removed`;
    default:
      return call;
  }
}

const choices: Partial<Record<Schemas["RecordedWhy"], string>> = {
  chose_left: "decided: use left",
  chose_right: "decided: use right",
  chose_merge: "decided: merge",
  chose_different: "decided: let them differ",
  reopened: "decision cleared",
};

const writtenWhy: Partial<Record<Schemas["RecordedWhy"], string>> = {
  merged: "merged",
  chosen: "as decided",
  policy: "by the lane’s policy",
};

/** “Title, right: decided before”, “Created at right”. */
export function lineWord(line: Line): string {
  const at = line.end ? `, ${line.end}` : "";
  switch (line.what) {
    case "item":
      return `Created at ${line.end ?? "one end"}`;
    case "call":
      return `${callWord(line.field_name)}${at}`;
    case "choice":
      return `${line.field_name}, ${choices[line.why] ?? line.why}`;
    case "field": {
      const why = writtenWhy[line.why];
      return `${line.field_name}${at}${why ? `, ${why}` : ""}`;
    }
  }
}
