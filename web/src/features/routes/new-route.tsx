// A new route: two ends, and the lanes to begin with.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, ProblemError, take, type Schemas } from "@/api/client";
import { ago } from "@/lib/format";
import { count } from "@/lib/words";
import { Button, Empty, Field, Foot, Loading, Trouble } from "@/ui/basics";
import { EndMark } from "@/ui/disc";
import { followable, FollowsChoice } from "../route/follows-choice";
import { chosenLanes, everything, ProposedLanes } from "./proposed-lanes";

type End = { system: string; container: string };

export default function NewRoute() {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const systems = useQuery({ queryKey: ["systems"], queryFn: () => take(api.GET("/systems")) });
  const [left, setLeft] = useState<End>({ system: "", container: "" });
  const [right, setRight] = useState<End>({ system: "", container: "" });
  const [name, setName] = useState("");
  const [choice, setChoice] = useState(everything);
  const others = useQuery({ queryKey: ["routes"], queryFn: () => take(api.GET("/routes")) });
  // None until somebody chooses: links follow every route from the same end.
  const [follows, setFollows] = useState<string[]>();
  const [error, setError] = useState<unknown>();
  const ready = !!left.container && !!right.container;
  const proposal = useQuery({
    queryKey: ["proposal", left, right],
    queryFn: () => take(api.POST("/routes/proposal", { body: { left, right } })),
    enabled: ready,
  });
  if (systems.isPending) return <Loading what="the systems" />;
  if (systems.error)
    return (
      <div className="p-8">
        <Trouble error={systems.error} />
      </div>
    );
  if (systems.data.length < 2) {
    return (
      <Empty
        title="A route needs two systems"
        action={
          <Button go onClick={() => void navigate("/systems/new")}>
            Connect a system
          </Button>
        }
      >
        {count(systems.data.length, "system is", "systems are")} connected so far.
      </Empty>
    );
  }
  const from = ready ? followable(others.data ?? [], left) : [];
  const make = async () => {
    setError(undefined);
    try {
      const lanes = chosenLanes(proposal.data ?? [], choice);
      const chosen = follows?.filter((id) => from.some((r) => r.id === id));
      const made = await take(api.POST("/routes", { body: { name, left, right, lanes, follows: chosen } }));
      await queries.invalidateQueries();
      await navigate(`/routes/${made.id}/ends`);
    } catch (caught) {
      setError(caught);
    }
  };
  const fault = (pointer: string) => (error instanceof ProblemError ? error.field(pointer) : undefined);
  return (
    <>
      <div className="mx-auto w-full max-w-[980px] flex-1 overflow-auto px-5 py-6">
        <h1 className="mb-4 text-[16px] font-semibold">Make a route</h1>
        <div className="grid grid-cols-[1fr_90px_1fr] items-start">
          <EndChoice end="left" systems={systems.data} value={left} onChange={setLeft} />
          <span aria-hidden className="mt-[58px] h-[2px] bg-[linear-gradient(90deg,var(--left),var(--right))]" />
          <EndChoice end="right" systems={systems.data} value={right} onChange={setRight} />
        </div>
        <div className="mt-5 max-w-[420px]">
          <Field label="Name" error={fault("/name")} hint="What it is for, e.g. Lift control moves to the new tool">
            {(p) => <input {...p} className="field w-full" value={name} onChange={(e) => setName(e.target.value)} />}
          </Field>
        </div>
        {ready && proposal.isPending && <Loading what="both ends" />}
        {proposal.error && <Trouble error={proposal.error} />}
        {proposal.data && <ProposedLanes proposed={proposal.data} choice={choice} onChange={setChoice} />}
        {proposal.data && from.length > 0 && (
          <div className="mt-5">
            <FollowsChoice routes={from} chosen={follows ?? from.map((r) => r.id)} onChange={setFollows} />
          </div>
        )}
        {error != null && !(error instanceof ProblemError && error.problem.fields?.length) && <Trouble error={error} />}
        {fault("/right") && (
          <p role="alert" className="mt-2 text-clash">
            {fault("/right")}
          </p>
        )}
      </div>
      <Foot>
        <Button go disabled={!ready || !proposal.data} onClick={() => void make()}>
          Make the route
        </Button>
      </Foot>
    </>
  );
}

function EndChoice({
  end,
  systems,
  value,
  onChange,
}: {
  end: "left" | "right";
  systems: Schemas["SystemAnswer"][];
  value: End;
  onChange: (e: End) => void;
}) {
  const surveys = useQuery({
    queryKey: ["surveys", value.system],
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
          <select
            {...p}
            className="field w-full"
            value={value.system}
            onChange={(e) => onChange({ system: e.target.value, container: "" })}
          >
            <option value="">choose…</option>
            {systems.map((s) => (
              <option key={s.id} value={s.id}>
                {s.name}
              </option>
            ))}
          </select>
        )}
      </Field>
      {value.system &&
        surveys.data &&
        (surveys.data.surveys.length === 0 ? (
          <p className="text-ink-2">
            No project of it has been surveyed.{" "}
            <Link className="underline" to={`/systems/${value.system}`}>
              Survey one first
            </Link>
          </p>
        ) : (
          <Field label={`${word} project`}>
            {(p) => (
              <select
                {...p}
                className="field w-full"
                value={value.container}
                onChange={(e) => onChange({ ...value, container: e.target.value })}
              >
                <option value="">choose…</option>
                {surveys.data.surveys.map((s) => (
                  <option key={s.container} value={s.container}>
                    {s.container_name} (surveyed {ago(s.at)})
                  </option>
                ))}
              </select>
            )}
          </Field>
        ))}
    </fieldset>
  );
}
