// A folder, picked from the tree of the end.
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, take } from "@/api/client";
import { keys } from "@/api/keys";
import { count } from "@/lib/words";
import { Pick } from "@/ui/pick";

type Props = { system: string; container: string; value: string; onChange: (path: string) => void };

export function FolderPick({ system, container, value, onChange }: Props) {
  const [open, setOpen] = useState(false);
  const [typed, setTyped] = useState("");
  const tree = useQuery({
    queryKey: keys.folders(system, container),
    queryFn: () =>
      take(api.GET("/systems/{id}/containers/{container}/folders", { params: { path: { id: system, container } } })),
    enabled: open,
  });
  const nodes = (tree.data ?? []).map((f) => ({ ...f, whole: f.path.join(" / ") }));
  const shown = nodes.filter((f) => f.whole.toLowerCase().includes(typed.toLowerCase()));
  return (
    <Pick
      label="Folder"
      shown={value}
      invites="choose a folder"
      find="Find a folder"
      typed={typed}
      onType={setTyped}
      open={open}
      onOpenChange={setOpen}
    >
      {shown.map((f) => (
        <li key={f.id}>
          <button
            type="button"
            className={`flex w-full items-baseline gap-2 rounded px-1.5 py-1 text-left hover:bg-wash ${f.whole === value ? "bg-wash font-medium" : ""}`}
            style={{ paddingLeft: 6 + 14 * (typed ? 0 : f.path.length - 1) }}
            title={f.whole}
            onClick={() => {
              onChange(f.whole);
              setOpen(false);
            }}
          >
            <span className="min-w-0 flex-1 truncate">{typed ? f.whole : f.title}</span>
            {f.items > 0 && <span className="shrink-0 text-ink-3">{count(f.items, "case")}</span>}
          </button>
        </li>
      ))}
      {tree.isPending && <li className="px-1.5 py-1 text-ink-3">Reading the folders…</li>}
      {tree.data && shown.length === 0 && <li className="px-1.5 py-1 text-ink-3">No such folder.</li>}
    </Pick>
  );
}
