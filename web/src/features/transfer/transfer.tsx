// The Transfer stop: before it what will be done, while it runs what is done at each end, and afterwards what came of it.
import { useQueryClient } from "@tanstack/react-query";
import { refresh } from "@/api/keys";
import { Link } from "react-router";
import { useJob } from "@/api/jobs";
import { useQueryParts } from "@/lib/use-query";
import { ButtonLink, Empty, Loading } from "@/ui/basics";
import { useDraft } from "../route/draft";
import { Before } from "./before";
import { Running } from "./running";

export default function Transfer() {
  const { route } = useDraft();
  const queries = useQueryClient();
  const [query] = useQueryParts();
  const { job, lost } = useJob(route.transfer?.id, () => void refresh.transferred(queries, route.id, route.plan?.id));
  const ready = !!route.plan && !route.plan.transfer && route.plan.changes > 0;
  if (ready && route.plan && (query.get("show") !== "last" || !route.transfer)) return <Before plan={route.plan} />;
  if (!route.transfer) {
    return (
      <Empty
        title="Nothing has been transferred"
        action={
          <ButtonLink go to="../dry-run">
            Open the dry run
          </ButtonLink>
        }
      >
        A transfer writes the changes that a dry run found, one by one, and notes each before and after.
      </Empty>
    );
  }
  if (!job) return <Loading what="the transfer" />;
  return (
    <>
      {ready && (
        <p role="note" className="shrink-0 border-b border-hair bg-wash px-5 py-1.5">
          This is the last transfer. There is a newer dry run:{" "}
          <Link className="underline" to="?">
            what it would transfer
          </Link>
        </p>
      )}
      <Running job={job} lost={lost} />
    </>
  );
}
