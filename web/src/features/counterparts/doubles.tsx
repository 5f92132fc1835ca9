// What a lane has of doubles at either end, as last surveyed.
import { Loading, Trouble } from "@/ui/basics";
import { EndMark } from "@/ui/disc";
import type { Lane, Route } from "../route/draft";
import { endOf, useSchema, type RouteSchema } from "../route/use-schema";
import { DoubleGroups, doublesWords } from "../systems/doubles";

export function DoublesList({ route, lane }: { route: Route; lane: Lane }) {
  const schema = useSchema(route);
  if (schema.isPending) return <Loading what="both ends" />;
  if (schema.error) return <Trouble error={schema.error} />;
  return (
    <div className="grid min-h-0 flex-1 grid-cols-2 gap-4 overflow-hidden px-5 py-4">
      <End end="left" route={route} lane={lane} schema={schema.data} />
      <End end="right" route={route} lane={lane} schema={schema.data} />
    </div>
  );
}

type EndProps = { end: "left" | "right"; route: Route; lane: Lane; schema: RouteSchema };

function End({ end, route, lane, schema }: EndProps) {
  const { name, survey } = endOf(schema, lane, end);
  return (
    <section
      aria-label={`Likely duplicates at ${name}`}
      className={`flex min-h-0 flex-col rounded-lg border border-hair bg-sheet ${end === "left" ? "border-l-[3px] border-l-end-left" : "border-r-[3px] border-r-end-right"}`}
    >
      <h2 className="flex items-center gap-1.5 border-b border-hair px-4 py-2 font-semibold">
        <EndMark end={end} />
        {name} <span className="font-normal text-ink-2">{doublesWords(survey)}</span>
      </h2>
      <DoubleGroups
        found={survey}
        system={route[end].system}
        container={route[end].container}
        kind={end === "left" ? lane.left_kind : lane.right_kind}
        name={name}
      />
    </section>
  );
}
