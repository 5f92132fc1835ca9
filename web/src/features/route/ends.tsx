// The Ends stop: both systems and projects, their checks, and removing the route.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, take } from "@/api/client";
import { keys, refresh } from "@/api/keys";
import { ago, exact } from "@/lib/format";
import { count, kindsWord, kindWord } from "@/lib/words";
import { Button, ButtonLink, Foot, Loading, Trouble } from "@/ui/basics";
import { Ask, Sheet } from "@/ui/dialog";
import { EndMark } from "@/ui/disc";
import { EndChoice, endBody, missing } from "../routes/end-choice";
import { chosenLanes, everything } from "../routes/proposed-lanes";
import { CheckList } from "../systems/check-list";
import { useSurvey } from "../systems/use-survey";
import { useDraft, type Route } from "./draft";
import { followable, FollowsChoice } from "./follows-choice";

export default function Ends() {
  const { route } = useDraft();
  return (
    <>
      <div className="grid flex-1 grid-cols-[minmax(0,1fr)_minmax(24px,64px)_minmax(0,1fr)] content-start px-5 py-5">
        <End end="left" data={route.left} />
        <div aria-hidden className="spine-cell" />
        <End end="right" data={route.right} />
        <ChangeEnds route={route} />
        <Follows />
        <Remove route={route} />
      </div>
      <Foot keys={<span>The left end is read. The right end is written.</span>}>
        <ButtonLink go to="../scope">
          Choose the scope
        </ButtonLink>
      </Foot>
    </>
  );
}

function End({ end, data }: { end: "left" | "right"; data: Route["left"] }) {
  const queries = useQueryClient();
  const [busy, setBusy] = useState(false);
  const [error, setError] = useState<unknown>();
  const path = { params: { path: { id: data.system } } };
  const system = useQuery({ queryKey: keys.system(data.system), queryFn: () => take(api.GET("/systems/{id}", path)) });
  const check = async () => {
    setBusy(true);
    setError(undefined);
    try {
      await take(api.POST("/systems/{id}/check", path));
      await refresh.system(queries, data.system);
    } catch (caught) {
      setError(caught);
    }
    setBusy(false);
  };
  return (
    <section
      aria-label={`${end} end`}
      className={`rounded-lg border border-hair bg-sheet p-5 ${end === "left" ? "border-l-[3px] border-l-end-left" : "border-r-[3px] border-r-end-right"}`}
    >
      <h2 className="mb-1 flex items-center gap-2 text-[15px] font-semibold">
        <EndMark end={end} />
        {data.system_name}
      </h2>
      <p className="mb-2 text-ink-2">{data.container_name}</p>
      <SurveyOf data={data} />
      {system.isPending && <Loading what="the last check" />}
      {system.data?.check ? (
        <CheckList steps={system.data.check} />
      ) : (
        system.data && <p className="text-ink-3">Never checked.</p>
      )}
      <Trouble error={error} />
      <Button className="mt-4" disabled={busy} onClick={() => void check()}>
        {busy ? "Checking…" : `Check ${data.system_name}`}
      </Button>
    </section>
  );
}

/** Where links to items of other routes lead; saved at once, as a version of its own. */
function Follows() {
  const { route, dirty, saveFollows, error } = useDraft();
  const routes = useQuery({ queryKey: keys.routes, queryFn: () => take(api.GET("/routes")) });
  const others = followable(routes.data ?? [], route.left, route.id);
  if (others.length === 0) return null;
  return (
    <div className="col-span-3 mt-5 max-w-[720px]">
      <FollowsChoice
        routes={others}
        chosen={route.follows}
        disabled={dirty}
        onChange={(follows) => void saveFollows(follows)}
      />
      {dirty && <p className="mt-1 text-ink-3">Save the rules first: this is saved as a separate version.</p>}
      <Trouble error={error} />
    </div>
  );
}

/** What the last survey of an end found, and another one. */
function SurveyOf({ data }: { data: Route["left"] }) {
  const { busy, begin, error } = useSurvey(data.system, data.container);
  const surveys = useQuery({
    queryKey: keys.surveys(data.system),
    queryFn: () => take(api.GET("/systems/{id}/surveys", { params: { path: { id: data.system } } })),
  });
  const found = surveys.data?.surveys.find((s) => s.container === data.container);
  const at = `/systems/${data.system}?container=${encodeURIComponent(data.container)}`;
  return (
    <div className="mb-4">
      <p className="mb-1.5">
        <Link className="underline decoration-hair underline-offset-3 hover:decoration-ink" to={at}>
          surveyed <span title={exact(data.surveyed_at)}>{ago(data.surveyed_at)}</span>
        </Link>
      </p>
      {found && (
        <ul aria-label={`Found at ${data.system_name}`} className="mb-2 flex flex-wrap gap-x-4 gap-y-1">
          {found.survey.kinds.map((k) => (
            <li key={k.kind}>
              <Link
                className="underline decoration-hair underline-offset-3 hover:decoration-ink"
                to={`${at}&kind=${k.kind}&view=items`}
              >
                <b className="font-semibold">{k.count.toLocaleString("en")}</b>{" "}
                {k.count === 1 ? kindWord[k.kind]?.toLowerCase() : kindsWord(k.kind)}
              </Link>
            </li>
          ))}
        </ul>
      )}
      <Trouble error={error} />
      <Button disabled={busy} onClick={begin}>
        {busy ? "Surveying…" : data.surveyed_at ? "Survey again" : "Survey this project"}
      </Button>
    </div>
  );
}

/** Other ends, as long as nothing has run. */
function ChangeEnds({ route }: { route: Route }) {
  const { dirty } = useDraft();
  const queries = useQueryClient();
  const [open, setOpen] = useState(false);
  const chosen = (end: Route["left"]) => ({
    system: end.system,
    container: end.container,
    name: end.system_name,
  });
  const [left, setLeft] = useState(chosen(route.left));
  const [right, setRight] = useState(chosen(route.right));
  const systems = useQuery({ queryKey: keys.systems, queryFn: () => take(api.GET("/systems")) });
  const change = useMutation({
    mutationFn: async () => {
      const ends = { left: endBody(left), right: endBody(right) };
      const proposed = await take(api.POST("/routes/proposal", { body: ends }));
      const lanes = chosenLanes(proposed, everything);
      return take(
        api.PUT("/routes/{id}/ends", {
          params: { path: { id: route.id } },
          headers: { "if-match": `"${route.version}"` },
          body: { ...ends, lanes },
        }),
      );
    },
    onSuccess: async (saved) => {
      setOpen(false);
      await refresh.saved(queries, saved);
    },
  });
  const ran = !!(route.plan ?? route.dry_run ?? route.transfer ?? route.proof);
  const why = ran
    ? "The ends can't be changed: a dry run was made with them."
    : dirty && "Save or undo the changes of scope and rules first.";
  return (
    <div className="col-span-3 mt-4 flex justify-center">
      <Button aria-haspopup="dialog" why={why} onClick={() => setOpen(true)}>
        Change or swap the ends
      </Button>
      <Sheet title="Change the ends" open={open} onOpenChange={setOpen}>
        <p className="mb-3 text-ink-2">
          The lanes and rules of this route are replaced by those proposed for the other ends. What you saved before
          stays among the versions.
        </p>
        <div className="grid grid-cols-2 gap-3">
          <EndChoice end="left" systems={systems.data ?? []} value={left} onChange={setLeft} />
          <EndChoice end="right" systems={systems.data ?? []} value={right} onChange={setRight} />
        </div>
        <Button
          className="mt-3 self-center"
          onClick={() => {
            setLeft(right);
            setRight(left);
          }}
        >
          Swap left and right
        </Button>
        <Trouble error={change.error} />
        <div className="mt-4 flex flex-wrap justify-end gap-3">
          <Button onClick={() => setOpen(false)}>Cancel</Button>
          <Button go why={missing(left, right)} disabled={change.isPending} onClick={() => change.mutate()}>
            Change the ends
          </Button>
        </div>
      </Sheet>
    </div>
  );
}

/** Removing a route asks for its name, and says what will be gone. */
function Remove({ route }: { route: Route }) {
  const [open, setOpen] = useState(false);
  const [typed, setTyped] = useState("");
  const [error, setError] = useState<unknown>();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const remove = async () => {
    setError(undefined);
    try {
      await take(api.DELETE("/routes/{id}", { params: { path: { id: route.id } }, body: { name: typed } }));
      await navigate("/routes");
      await refresh.routes(queries);
    } catch (caught) {
      setError(caught);
    }
  };
  return (
    <div className="col-span-3 mt-5">
      <Button aria-haspopup="dialog" onClick={() => setOpen(true)}>
        Remove this route
      </Button>
      <Ask
        title={`Remove ${route.name}?`}
        open={open}
        onOpenChange={setOpen}
        keep="Keep the route"
        does="Remove the route"
        why={typed !== route.name ? "Type its name first." : undefined}
        onDo={() => void remove()}
      >
        <p className="mb-2">
          Its rules with all {count(route.version, "version")}, its plans, proofs and {count(route.pairs, "pair")} are
          deleted, and can’t be restored. Without pairs, a new route finds counterparts by their marks only. Both
          systems stay as they are. Type the route’s name, <b className="font-semibold text-ink">{route.name}</b>, to
          remove it.
        </p>
        <input
          aria-label="Name of the route"
          className="field w-full"
          value={typed}
          onChange={(e) => setTyped(e.target.value)}
        />
        <Trouble error={error} />
      </Ask>
    </div>
  );
}
