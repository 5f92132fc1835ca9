// A new route: two ends, and the lanes to begin with.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useWatch } from "react-hook-form";
import { useNavigate } from "react-router";
import * as z from "zod/mini";
import { api, take } from "@/api/client";
import { keys, refresh } from "@/api/keys";
import { count } from "@/lib/words";
import { useProblemForm } from "@/lib/form";
import { useTitle } from "@/lib/use-title";
import { Button, ButtonLink, Empty, Field, Foot, Loading, Trouble } from "@/ui/basics";
import { Scroll } from "@/ui/scroll";
import { routeName } from "../route/route-name";
import { followable, FollowsChoice } from "../route/follows-choice";
import { EndChoice, endBody, missing, none } from "./end-choice";
import { chosenLanes, everything, ProposedLanes } from "./proposed-lanes";

export default function NewRoute() {
  useTitle("Create a route");
  const navigate = useNavigate();
  const queries = useQueryClient();
  const systems = useQuery({ queryKey: keys.systems, queryFn: () => take(api.GET("/systems")) });
  const [left, setLeft] = useState(none);
  const [right, setRight] = useState(none);
  const [choice, setChoice] = useState(everything);
  const others = useQuery({ queryKey: keys.routes, queryFn: () => take(api.GET("/routes")) });
  // None until somebody chooses: links follow every route from the same end.
  const [follows, setFollows] = useState<string[]>();
  const lacks = missing(left, right);
  const ready = !lacks;
  const proposal = useQuery({
    queryKey: keys.proposal(left, right),
    queryFn: () => take(api.POST("/routes/proposal", { body: { left: endBody(left), right: endBody(right) } })),
    enabled: ready,
  });
  const from = ready ? followable(others.data ?? [], endBody(left)) : [];
  const { form, submit, trouble } = useProblemForm(z.object({ name: routeName }), { name: "" }, async ({ name }) => {
    const lanes = chosenLanes(proposal.data ?? [], choice);
    const chosen = follows?.filter((id) => from.some((r) => r.id === id));
    const made = await take(
      api.POST("/routes", { body: { name, left: endBody(left), right: endBody(right), lanes, follows: chosen } }),
    );
    await refresh.routes(queries);
    await navigate(`/routes/${made.id}/ends`);
  });
  const { dirtyFields, errors, isSubmitting } = form.formState;
  const name = useWatch({ control: form.control, name: "name" });
  // Until somebody types a name, it is that of the ends.
  const named = !!dirtyFields.name;
  const proposed = left.name && right.name ? `${left.name} to ${right.name}` : "";
  useEffect(() => {
    if (!named) form.setValue("name", proposed);
  }, [named, proposed, form]);
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
          <ButtonLink go to="/systems/new">
            Connect a system
          </ButtonLink>
        }
      >
        {count(systems.data.length, "system is", "systems are")} connected so far.
      </Empty>
    );
  }
  return (
    <>
      <Scroll aria-label="Create a route" className="mx-auto w-full max-w-[980px] flex-1 px-5 py-6">
        <h1 className="mb-4 text-[16px] font-semibold">Create a route</h1>
        <div className="grid grid-cols-[minmax(0,1fr)_minmax(20px,90px)_minmax(0,1fr)] items-start">
          <EndChoice end="left" systems={systems.data} value={left} onChange={setLeft} />
          <span aria-hidden className="mt-[58px] h-[2px] bg-[linear-gradient(90deg,var(--left),var(--right))]" />
          <EndChoice end="right" systems={systems.data} value={right} onChange={setRight} />
        </div>
        <form id="new-route" noValidate onSubmit={submit} className="mt-5 max-w-[420px]">
          <Field
            label="Name"
            error={errors.name?.message}
            hint="What it is for, e.g. Lift control moves to the new tool. It can be changed later."
          >
            {(p) => <input {...p} {...form.register("name")} className="field w-full" />}
          </Field>
        </form>
        {ready && proposal.isPending && <Loading what="both ends" />}
        {proposal.error && <Trouble error={proposal.error} />}
        {proposal.data && <ProposedLanes proposed={proposal.data} choice={choice} onChange={setChoice} />}
        {proposal.data && from.length > 0 && (
          <div className="mt-5">
            <FollowsChoice routes={from} chosen={follows ?? from.map((r) => r.id)} onChange={setFollows} />
          </div>
        )}
        <Trouble error={trouble} />
      </Scroll>
      <Foot>
        <Button
          go
          why={lacks ?? (!name.trim() && "Give it a name.")}
          type="submit"
          form="new-route"
          disabled={!proposal.data || isSubmitting}
        >
          Create the route
        </Button>
      </Foot>
    </>
  );
}
