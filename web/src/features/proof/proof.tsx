// The Proof stop: both ends read again and compared, kind by kind and field by field.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api, take, type Schemas } from "@/api/client";
import { keys, refresh } from "@/api/keys";
import { failureOf, over, useJob } from "@/api/jobs";
import { exact } from "@/lib/format";
import { Button, Empty, Foot, Loading, Trouble } from "@/ui/basics";
import { Pill, Pills } from "@/ui/pills";
import { Select } from "@/ui/select";
import { useDraft } from "../route/draft";
import { mainLane } from "../route/lanes-bar";
import { Reading } from "../route/reading";
import { useSchema } from "../route/use-schema";
import { Earlier } from "./earlier";
import { Headline } from "./headline";
import { KindsTable, laneWord } from "./kinds-table";
import { LaneView, Unforeseen } from "./lane-proof";
import { SaveAs } from "./save-as";

type ProofAnswer = Schemas["ProofAnswer"];
type Files = Schemas["FilesBody"];

/** Files of a sample whose bytes are read. */
const SAMPLE = 50;

export default function Proof() {
  const { route } = useDraft();
  const queries = useQueryClient();
  const [error, setError] = useState<unknown>();
  const [query, setQuery] = useSearchParams();
  const chosen = query.get("proof") ?? undefined;
  const state = useQuery({
    queryKey: keys.proof(route.id, chosen),
    queryFn: () =>
      take(api.GET("/routes/{id}/proofs", { params: { path: { id: route.id }, query: { proof: chosen } } })),
  });
  const { job, lost } = useJob(state.data?.job?.id, () => void refresh.proof(queries, route.id));
  const prove = async (files: Files) => {
    setError(undefined);
    try {
      await take(api.POST("/routes/{id}/proofs", { params: { path: { id: route.id } }, body: { files } }));
      setQuery({}, { replace: true });
      await refresh.proof(queries, route.id);
    } catch (caught) {
      setError(caught);
    }
  };
  if (state.isPending) return <Loading what="the proof" />;
  if (state.error)
    return (
      <div className="p-8">
        <Trouble error={state.error} />
      </div>
    );
  const running = job && !over(job);
  if (running) {
    return (
      <Empty title="Both ends are read again">
        <Reading job={job} lost={lost} />
      </Empty>
    );
  }
  const failed = failureOf(job);
  if (!state.data.proof) {
    return (
      <Empty title="No proof yet" action={<Prove prove={(files) => void prove(files)}>Run a proof</Prove>}>
        A proof reads both ends again and compares them, pair by pair and field by field. It does not rely on what was
        noted before.
        <Trouble error={error ?? failed} />
      </Empty>
    );
  }
  return <Shown proof={state.data.proof} prove={(files) => void prove(files)} error={error ?? failed} />;
}

/** The button that proves, beside how files are compared. */
function Prove({ prove, children }: { prove: (files: Files) => void; children: string }) {
  const [files, setFiles] = useState("none");
  return (
    <span className="inline-flex items-center gap-2">
      <Select
        aria-label="How files are compared"
        className="field"
        value={files}
        onChange={(chosen) => setFiles(chosen)}
      >
        <option value="none">Files by stated digest</option>
        <option value="sample">Read {SAMPLE} files at both ends</option>
        <option value="all">Read every file at both ends</option>
      </Select>
      <Button go onClick={() => prove(files === "sample" ? { sample: SAMPLE } : files === "all" ? "all" : "none")}>
        {children}
      </Button>
    </span>
  );
}

function Shown({ proof, prove, error }: { proof: ProofAnswer; prove: (files: Files) => void; error: unknown }) {
  const { route } = useDraft();
  const schema = useSchema(route).data;
  const [query, setQuery] = useSearchParams();
  const lane = proof.lanes.find((l) => l.lane === query.get("lane")) ?? mainLane(proof.lanes);
  const field = query.get("field") ?? undefined;
  const show = (next: { lane?: string; field?: string }) => {
    const kept = { proof: query.get("proof"), lane: next.lane, field: next.field };
    setQuery(Object.fromEntries(Object.entries(kept).filter((e): e is [string, string] => !!e[1])), { replace: true });
  };
  const earlier = proof.id !== route.proof?.id;
  return (
    <>
      <div className="flex-1 px-5 py-5">
        {earlier && (
          <p role="note" className="mb-3 rounded-md border border-hair bg-wash px-4 py-2">
            This is an earlier proof, of {exact(proof.at)}, with version {proof.route_version} of the rules.{" "}
            <Link className="underline" to="?">
              Show the latest
            </Link>
          </p>
        )}
        <Headline proof={proof} />
        <KindsTable route={route} proof={proof} open={(lane, field) => show({ lane, field })} />
        <Unforeseen list={proof.unforeseen} schema={schema} />
        <Pills label="Lanes" className="mb-3">
          {proof.lanes.map((l) => (
            <Pill key={l.lane} on={l === lane} onClick={() => show({ lane: l.lane })}>
              {laneWord(l, proof.lanes)}
            </Pill>
          ))}
        </Pills>
        {lane && (
          <LaneView
            key={lane.lane}
            lane={lane}
            field={field}
            schema={schema}
            choose={(field) => show({ lane: lane.lane, field })}
          />
        )}
        <Trouble error={error} />
      </div>
      <Foot keys={<span>A proof is kept with its time and can be handed on.</span>}>
        <Earlier route={route.id} shown={proof.id} />
        <SaveAs route={route.id} proof={proof.id} />
        <Prove prove={prove}>Run a proof again</Prove>
      </Foot>
    </>
  );
}
