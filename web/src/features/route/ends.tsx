// The Ends stop: both systems and projects, their checks, and removing the route.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, take } from "@/api/client";
import { ago, exact } from "@/lib/format";
import { Button, Foot, Loading, Trouble } from "@/ui/basics";
import { EndMark } from "@/ui/disc";
import { CheckList } from "../systems/check-list";
import { useDraft, type Route } from "./draft";
import { followable, FollowsChoice } from "./follows-choice";

export default function Ends() {
  const { route } = useDraft();
  const navigate = useNavigate();
  return (
    <>
      <div className="grid flex-1 grid-cols-[1fr_64px_1fr] overflow-auto px-5 py-5">
        <End end="left" data={route.left} />
        <div aria-hidden className="spine-cell" />
        <End end="right" data={route.right} />
        <Follows />
        <Remove route={route} />
      </div>
      <Foot keys={<span>The left end is read. The right end is written.</span>}>
        <Button go onClick={() => void navigate("../scope")}>
          Choose the scope
        </Button>
      </Foot>
    </>
  );
}

function End({ end, data }: { end: "left" | "right"; data: Route["left"] }) {
  const queries = useQueryClient();
  const [busy, setBusy] = useState(false);
  const [error, setError] = useState<unknown>();
  const path = { params: { path: { id: data.system } } };
  const system = useQuery({ queryKey: ["system", data.system], queryFn: () => take(api.GET("/systems/{id}", path)) });
  const check = async () => {
    setBusy(true);
    setError(undefined);
    try {
      await take(api.POST("/systems/{id}/check", path));
      await queries.invalidateQueries();
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
      <p className="mb-3 text-ink-2">
        {data.container_name} ·{" "}
        <Link className="underline" to={`/systems/${data.system}?container=${encodeURIComponent(data.container)}`}>
          surveyed <span title={exact(data.surveyed_at)}>{ago(data.surveyed_at)}</span>
        </Link>
      </p>
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
  const routes = useQuery({ queryKey: ["routes"], queryFn: () => take(api.GET("/routes")) });
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
      {dirty && <p className="mt-1 text-ink-3">Save the rules first; this is saved as a version of its own.</p>}
      <Trouble error={error} />
    </div>
  );
}

function Remove({ route }: { route: Route }) {
  const [typed, setTyped] = useState("");
  const [error, setError] = useState<unknown>();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const remove = async () => {
    try {
      await take(api.DELETE("/routes/{id}", { params: { path: { id: route.id } }, body: { name: typed } }));
      await queries.invalidateQueries();
      await navigate("/routes");
    } catch (caught) {
      setError(caught);
    }
  };
  return (
    <details className="col-span-3 mt-5 text-ink-2">
      <summary className="w-fit">Remove this route</summary>
      <div className="mt-2 max-w-[620px] rounded-lg border border-hair bg-sheet p-4">
        <p className="mb-2">
          Its rules, plans, proofs and pairs go, and can't be brought back. Both systems stay as they are. Type the
          route's name, <b className="font-semibold">{route.name}</b>, to remove it.
        </p>
        <div className="flex gap-2">
          <input
            aria-label="Name of the route"
            className="field w-[300px]"
            value={typed}
            onChange={(e) => setTyped(e.target.value)}
          />
          <Button danger disabled={typed !== route.name} onClick={() => void remove()}>
            Remove the route
          </Button>
        </div>
        <Trouble error={error} />
      </div>
    </details>
  );
}
