// One end of a route: which system, and which of its surveyed projects.
import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { Link } from "react-router";
import { api, take, type Schemas } from "@/api/client";
import { keys } from "@/api/keys";
import { ago } from "@/lib/format";
import { Field } from "@/ui/basics";
import { EndMark } from "@/ui/disc";
import { Select } from "@/ui/select";

/** An end as it is chosen; empty as long as it is not. */
export type ChosenEnd = { system: string; container: string; name: string };

export const none: ChosenEnd = { system: "", container: "", name: "" };

/** What the API takes of it. */
export const endBody = ({ system, container }: ChosenEnd) => ({ system, container });

/** What is still to be chosen before there is a route; nothing if both ends are there. */
export function missing(left: ChosenEnd, right: ChosenEnd): string | undefined {
  if (!left.system && !right.system) return "Choose both ends.";
  if (!left.system || !right.system) return `Choose the ${left.system ? "right" : "left"} system.`;
  if (!left.container || !right.container) return `Choose the ${left.container ? "right" : "left"} project.`;
  if (left.system === right.system && left.container === right.container) return "Both ends are the same project.";
  return undefined;
}

export function EndChoice({
  end,
  systems,
  value,
  onChange,
}: {
  end: "left" | "right";
  systems: Schemas["SystemAnswer"][];
  value: ChosenEnd;
  onChange: (e: ChosenEnd) => void;
}) {
  const surveys = useQuery({
    queryKey: keys.surveys(value.system),
    queryFn: () => take(api.GET("/systems/{id}/surveys", { params: { path: { id: value.system } } })),
    enabled: !!value.system,
  });
  const only = surveys.data?.surveys.length === 1 ? surveys.data.surveys[0]?.container : undefined;
  useEffect(() => {
    if (value.system && !value.container && only) onChange({ ...value, container: only });
  }, [value, only, onChange]);
  const word = end === "left" ? "Left" : "Right";
  return (
    <fieldset
      className={`rounded-lg border border-hair bg-sheet p-4 ${end === "left" ? "border-l-[3px] border-l-end-left" : "border-r-[3px] border-r-end-right"}`}
    >
      <legend className="sr-only">{word} end</legend>
      <p className="mb-2 flex items-center gap-1.5 font-semibold">
        <EndMark end={end} />
        {word} end <span className="font-normal text-ink-3">{end === "left" ? "is read" : "is written"}</span>
      </p>
      <Field label={`${word} system`}>
        {(p) => (
          <Select
            {...p}
            className="field w-full"
            value={value.system}
            onChange={(chosen) =>
              onChange({
                ...none,
                system: chosen,
                name: systems.find((s) => s.id === chosen)?.name ?? "",
              })
            }
          >
            <option value="">choose…</option>
            {systems.map((s) => (
              <option key={s.id} value={s.id}>
                {s.name}
              </option>
            ))}
          </Select>
        )}
      </Field>
      {value.system &&
        surveys.data &&
        (surveys.data.surveys.length === 0 ? (
          <p className="text-ink-2">
            No project of this system has been surveyed.{" "}
            <Link className="underline" to={`/systems/${value.system}`}>
              Survey one first
            </Link>
          </p>
        ) : (
          <Field label={`${word} project`}>
            {(p) => (
              <Select
                {...p}
                className="field w-full"
                value={value.container}
                onChange={(chosen) => onChange({ ...value, container: chosen })}
              >
                <option value="">choose…</option>
                {surveys.data.surveys.map((s) => (
                  <option key={s.container} value={s.container}>
                    {s.container_name} (surveyed {ago(s.at)})
                  </option>
                ))}
              </Select>
            )}
          </Field>
        ))}
    </fieldset>
  );
}
