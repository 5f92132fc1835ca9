import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, take } from "@/api/client";
import { keys } from "@/api/keys";
import { useTitle } from "@/lib/use-title";
import { ButtonLink, Empty, Loading, Trouble } from "@/ui/basics";
import { Scroll } from "@/ui/scroll";
import { Health } from "../overview/overview";

export default function Systems() {
  useTitle("Systems");
  const systems = useQuery({ queryKey: keys.systems, queryFn: () => take(api.GET("/systems")) });
  if (systems.isPending) return <Loading what="the systems" />;
  if (systems.error)
    return (
      <div className="p-8">
        <Trouble error={systems.error} retry={() => void systems.refetch()} />
      </div>
    );
  const connect = (
    <ButtonLink go to="/systems/new">
      Connect a system
    </ButtonLink>
  );
  if (systems.data.length === 0)
    return (
      <Empty title="No system is connected" action={connect}>
        A system is anything outside that holds artefacts. Hovrel needs its address and a sign-in.
      </Empty>
    );
  return (
    <Scroll aria-label="Systems" className="mx-auto w-full max-w-[1240px] flex-1 px-5 py-5">
      <div className="mb-3 flex items-center justify-between">
        <h1 className="text-[15px] font-semibold">Systems</h1>
        {connect}
      </div>
      <table className="w-full rounded-lg border border-hair bg-sheet">
        <thead>
          <tr className="text-left text-[11px] text-ink-3">
            {["Name", "Type", "Address", "Last check"].map((h) => (
              <th key={h} className="border-b border-hair px-4 py-2 font-normal">
                {h}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {systems.data.map((s) => (
            <tr key={s.id} className="border-b border-hair-2 last:border-0">
              <td className="px-4 py-2.5">
                <Link className="font-medium hover:underline" to={`/systems/${s.id}`}>
                  {s.name}
                </Link>
              </td>
              <td className="px-4">{s.profile_title}</td>
              <td className="mono px-4 text-ink-2">{s.address}</td>
              <td className="px-4">
                <Health system={s} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </Scroll>
  );
}
