// The routes that use a project, with what of the survey does not fit their rules.
import { count } from "@/lib/words";
import { Link } from "react-router";
import type { Schemas } from "@/api/client";
import { bytes } from "@/lib/format";

/** Only routes with a rule problem to fix are worth a line. */
export function Uses({ uses }: { uses: Schemas["Use"][] }) {
  const broken = uses.filter((u) => u.to_settle > 0);
  if (broken.length === 0) return null;
  return (
    <section aria-label="Rules that don't fit" className="mb-4 rounded-lg border border-hair bg-sheet px-5 py-3">
      <h2 className="font-semibold">Rules that don't fit what is here</h2>
      <ul>
        {broken.map((u) => (
          <li key={u.route} className="mt-1">
            <Link className="underline decoration-hair underline-offset-3" to={`/routes/${u.route}/rules`}>
              {u.name}
            </Link>{" "}
            <span className="text-clash">{count(u.to_settle, "problem")} to fix</span>
            <ul className="text-ink-2">
              {u.faults.map((f, n) => (
                <li key={n}>
                  {f.field && <b className="font-medium">{f.field}: </b>}
                  {f.message}
                </li>
              ))}
              {u.to_settle > u.faults.length && <li>and {u.to_settle - u.faults.length} more</li>}
            </ul>
          </li>
        ))}
      </ul>
    </section>
  );
}

function beyondWords({ field, target, met, limit, shortened }: Schemas["UseBeyond"], other: string): string {
  if (field === "@attachments") return `${target} in ${other} takes ${bytes(limit)}, the largest has ${bytes(met)}`;
  const [most, all] = [limit.toLocaleString("en"), met.toLocaleString("en")];
  return `${target} in ${other} takes ${most} of ${all} characters${shortened ? ", shortened by the rule" : ""}`;
}

/** What a field holds that is beyond what the other end of a route takes. */
export function BeyondLimits({ uses, kind, field }: { uses: Schemas["Use"][]; kind: string; field: string }) {
  const found = uses.flatMap((u) =>
    u.beyond.filter((b) => b.kind === kind && b.field === field).map((b) => ({ ...b, use: u })),
  );
  return found.map((b) => (
    <p key={`${b.use.route} ${b.target}`} className={b.shortened ? "text-loss" : "text-clash"}>
      {beyondWords(b, b.use.other)} (
      <Link className="underline decoration-hair underline-offset-3" to={`/routes/${b.use.route}/rules`}>
        {b.use.name}
      </Link>
      )
    </p>
  ));
}
