// What a line of the record says.
import type { Schemas } from "@/api/client";

type Line = Pick<Schemas["Recorded"], "what" | "why" | "field_name" | "end">;

const calls: Record<string, string> = {
  back: "Link to its counterpart",
  links: "Links",
  move: "Folder",
  file: "File",
  comment: "Comment",
  history: "Past change",
};

const choices: Partial<Record<Schemas["RecordedWhy"], string>> = {
  chose_left: "decided: use left",
  chose_right: "decided: use right",
  chose_merge: "decided: merge",
  chose_different: "decided: let them differ",
  reopened: "decision cleared",
};

/** “Title, right: decided before”, “Created at right”. */
export function lineWord(line: Line): string {
  const at = line.end ? `, ${line.end}` : "";
  switch (line.what) {
    case "item":
      return `Created at ${line.end ?? "one end"}`;
    case "call": {
      const sort = line.field_name.split(" ")[0] ?? "";
      return `${calls[sort] ?? sort}${at}`;
    }
    case "choice":
      return `${line.field_name}, ${choices[line.why] ?? line.why}`;
    case "field": {
      const why = line.why === "merged" ? ", merged" : line.why === "chosen" ? ", as decided" : "";
      return `${line.field_name}${at}${why}`;
    }
  }
}
