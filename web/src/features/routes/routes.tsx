import { useQuery } from "@tanstack/react-query";
import { api, take } from "@/api/client";
import { keys } from "@/api/keys";
import { useTitle } from "@/lib/use-title";
import { ButtonLink, Empty, Loading, Trouble } from "@/ui/basics";
import { RouteLine } from "../overview/route-line";
import { useFromFile } from "./from-file";

export default function Routes() {
  useTitle("Routes");
  const routes = useQuery({ queryKey: keys.routes, queryFn: () => take(api.GET("/routes")) });
  const fromFile = useFromFile();
  if (routes.isPending) return <Loading what="the routes" />;
  if (routes.error)
    return (
      <div className="p-8">
        <Trouble error={routes.error} retry={() => void routes.refetch()} />
      </div>
    );
  const make = (
    <span className="flex items-center justify-center gap-3">
      {fromFile.button}
      <ButtonLink go to="/routes/new">
        Create a route
      </ButtonLink>
    </span>
  );
  return (
    <>
      {fromFile.told}
      {routes.data.length === 0 ? (
        <Empty title="No route yet" action={make}>
          A route connects a project in one system with a project in another. It is saved, so that it can be run as
          often as needed.
        </Empty>
      ) : (
        <div className="w-full flex-1 px-5 py-5">
          <div className="mb-3 flex items-center justify-between">
            <h1 className="text-[15px] font-semibold">Routes</h1>
            {make}
          </div>
          <ul className="space-y-2">
            {routes.data.map((r) => (
              <RouteLine key={r.id} route={r} />
            ))}
          </ul>
        </div>
      )}
    </>
  );
}
