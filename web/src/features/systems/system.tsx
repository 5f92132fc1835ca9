// One system: its check, and the survey of each of its projects.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate, useParams, useSearchParams } from "react-router";
import { toast } from "sonner";
import { api, take, type Schemas } from "@/api/client";
import { keys, refresh } from "@/api/keys";
import { ago, exact } from "@/lib/format";
import { useTitle } from "@/lib/use-title";
import { kindsWord } from "@/lib/words";
import { Button, Empty, Loading, Trouble } from "@/ui/basics";
import { Select } from "@/ui/select";
import { Scroll } from "@/ui/scroll";
import { CheckList } from "./check-list";
import { Disconnect } from "./disconnect";
import { Found } from "./found";
import { useSurvey } from "./use-survey";

export default function SystemView() {
  const { id = "" } = useParams();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [busy, setBusy] = useState(false);
  const [error, setError] = useState<unknown>();
  const path = { params: { path: { id } } };
  const system = useQuery({ queryKey: keys.system(id), queryFn: () => take(api.GET("/systems/{id}", path)) });
  const containers = useQuery({
    queryKey: keys.containers(id),
    queryFn: () => take(api.GET("/systems/{id}/containers", path)),
  });
  const surveys = useQuery({ queryKey: keys.surveys(id), queryFn: () => take(api.GET("/systems/{id}/surveys", path)) });
  const [query, setQuery] = useSearchParams();
  useTitle(system.data?.name, "Systems");
  if (system.isPending) return <Loading what="the system" />;
  if (system.error)
    return (
      <div className="p-8">
        <Trouble error={system.error} />
      </div>
    );
  const check = async () => {
    setBusy(true);
    setError(undefined);
    try {
      await take(api.POST("/systems/{id}/check", path));
    } catch (caught) {
      setError(caught);
    }
    await refresh.system(queries, id);
    setBusy(false);
  };
  const remove = async () => {
    try {
      await take(api.DELETE("/systems/{id}", path));
      await refresh.systems(queries);
      toast(`${system.data.name} is disconnected. Nothing in it was changed.`);
      await navigate("/systems");
    } catch (caught) {
      setError(caught);
    }
  };
  const container = query.get("container") ?? containers.data?.[0]?.id;
  const survey = surveys.data?.surveys.find((s) => s.container === container);
  const running = surveys.data?.running.find((j) => j.container === container);
  return (
    <div className="flex min-h-0 flex-1">
      <Scroll
        as="aside"
        aria-label="Connection"
        className="w-[clamp(220px,24%,330px)] shrink-0 border-r border-hair bg-sheet p-5"
      >
        <h1 className="text-[16px] font-semibold">{system.data.name}</h1>
        <p className="mono mb-4 break-all text-ink-3">{system.data.address}</p>
        <div className="mb-4 flex gap-2">
          <Button onClick={() => void check()} disabled={busy}>
            {busy ? "Checking…" : "Check again"}
          </Button>
          <Disconnect name={system.data.name} remove={() => void remove()} />
        </div>
        <Trouble error={error} />
        {system.data.check && (
          <>
            <p className="mb-2 text-ink-3" title={exact(system.data.checked_at)}>
              checked {ago(system.data.checked_at)}
            </p>
            <CheckList steps={system.data.check} />
          </>
        )}
      </Scroll>
      <Scroll as="section" aria-label="Project" className="flex min-w-0 flex-1 flex-col p-5">
        {containers.error && <Trouble error={containers.error} retry={() => void containers.refetch()} />}
        <label className="mb-4 flex items-center gap-2">
          <span className="text-ink-2">Project</span>
          <Select
            aria-label="Project"
            className="field max-w-full min-w-[200px]"
            value={container ?? ""}
            onChange={(chosen) => setQuery({ container: chosen })}
          >
            {containers.data?.map((c) => (
              <option key={c.id} value={c.id}>
                {c.name}
              </option>
            ))}
          </Select>
        </label>
        {container && surveys.data && (
          <SurveyPart key={container} system={id} container={container} survey={survey} running={running?.id} />
        )}
      </Scroll>
    </div>
  );
}

function SurveyPart({
  system,
  container,
  survey,
  running,
}: {
  system: string;
  container: string;
  survey?: Schemas["SurveyAnswer"];
  running?: string;
}) {
  const { job, lost, busy: active, begin, error } = useSurvey(system, container, running);
  const p = job?.progress as { kind?: string; read?: number; total?: number } | undefined;
  const progress = active && (
    <p role="status" className="my-3 text-ink-2">
      Reading {p?.kind ? kindsWord(p.kind) : ""} {p?.read != null && `${p.read} of ${p.total ?? "?"}`}{" "}
      {lost && <span className="text-clash">· connection lost, catching up by itself</span>}
    </p>
  );
  if (!survey) {
    return (
      <Empty
        title="Not surveyed yet"
        action={
          !active && (
            <Button go onClick={begin}>
              Survey this project
            </Button>
          )
        }
      >
        A survey reads everything in the project and shows what each field really holds. It changes nothing there.
        {progress}
        <Trouble error={error} />
      </Empty>
    );
  }
  return (
    <>
      <div className="mb-3 flex items-center gap-3">
        <span className="text-ink-3" title={exact(survey.at)}>
          surveyed {ago(survey.at)}
        </span>
        <Button disabled={!!active} onClick={begin}>
          Survey again
        </Button>
        {progress}
      </div>
      <Trouble error={error} />
      <Found system={system} survey={survey} />
    </>
  );
}
