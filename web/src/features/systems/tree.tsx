// The folders of a project, each with how many items it holds.
import { useQuery } from "@tanstack/react-query";
import { api, take } from "@/api/client";
import { keys } from "@/api/keys";
import { Loading, Trouble } from "@/ui/basics";

export function Tree({ system, container, open }: { system: string; container: string; open: (path: string) => void }) {
  const folders = useQuery({
    queryKey: keys.folders(system, container),
    queryFn: () =>
      take(api.GET("/systems/{id}/containers/{container}/folders", { params: { path: { id: system, container } } })),
  });
  if (folders.isPending) return <Loading what="the folders" />;
  if (folders.error) return <Trouble error={folders.error} />;
  return (
    <ul className="border border-hair bg-sheet py-2">
      {folders.data.map((f) => (
        <li
          key={f.id}
          className="flex items-baseline gap-3 px-4 py-1"
          style={{ paddingLeft: 16 + (f.path.length - 1) * 22 }}
        >
          <span className={f.path.length === 1 ? "font-medium" : ""}>{f.title}</span>
          {f.items > 0 && (
            <button type="button" className="mono text-ink-3 hover:underline" onClick={() => open(f.path.join(" / "))}>
              {f.items}
            </button>
          )}
        </li>
      ))}
    </ul>
  );
}
