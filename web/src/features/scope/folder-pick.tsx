// A folder, picked from the tree of the end.
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, take } from "@/api/client";
import { keys } from "@/api/keys";
import { count } from "@/lib/words";
import { Pick, PickItem, PickNote } from "@/ui/pick";

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
        <PickItem
          key={f.id}
          id={f.id}
          picked={f.whole === value}
          depth={typed ? 0 : f.path.length - 1}
          title={f.whole}
          onPick={() => {
            onChange(f.whole);
            setOpen(false);
          }}
        >
          <span className="min-w-0 flex-1 truncate">{typed ? f.whole : f.title}</span>
          {f.items > 0 && <span className="shrink-0 text-ink-3">{count(f.items, "case")}</span>}
        </PickItem>
      ))}
      {tree.isPending && <PickNote>Reading the folders…</PickNote>}
      {tree.data && shown.length === 0 && <PickNote>No such folder.</PickNote>}
    </Pick>
  );
}
