// The requirements that no test case verifies.
import { Link } from "react-router";
import type { Schemas } from "@/api/client";
import { itemPath } from "@/lib/paths";
import { count } from "@/lib/words";
import { Head } from "./head";

export function Uncovered({
  coverage,
  system,
  container,
}: {
  coverage: Schemas["Coverage"];
  system: string;
  container: string;
}) {
  const missing = coverage.total - coverage.covered;
  if (missing === 0) return <p className="text-ink-2">Every requirement has a test case.</p>;
  return (
    <>
      <p className="mb-2 text-ink-2">
        {missing.toLocaleString("en")} of {count(coverage.total, "requirement has", "requirements have")} no test case.
        {missing > coverage.uncovered.length && ` The first ${coverage.uncovered.length} are listed.`}
      </p>
      <table className="w-full border border-hair bg-sheet">
        <Head names={["Key", "Title"]} />
        <tbody>
          {coverage.uncovered.map((u) => (
            <tr key={u.id} className="border-b border-hair-2 last:border-0">
              <td className="mono w-[120px] px-3 py-1.5">
                <Link
                  className="underline decoration-hair underline-offset-3"
                  to={itemPath(system, container, "requirement", u.id)}
                >
                  {u.key}
                </Link>
              </td>
              <td className="px-3">{u.title}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
