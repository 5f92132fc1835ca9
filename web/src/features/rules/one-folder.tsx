// The folder that takes every item, where folders are not mirrored.
import { useQuery } from "@tanstack/react-query";
import { api, take } from "@/api/client";
import { keys } from "@/api/keys";
import { Select } from "@/ui/select";
import type { Route } from "../route/draft";
import { constantOf } from "./rule-words";
import type { Fill } from "./fills";

export function OneFolder({ end, rule, setRule }: { end: Route["left"]; rule: Fill; setRule: (r: Fill) => void }) {
  const constant = constantOf(rule);
  const { system, container } = end;
  const folders = useQuery({
    queryKey: keys.folders(system, container, end.surveyed_at),
    queryFn: () =>
      take(api.GET("/systems/{id}/containers/{container}/folders", { params: { path: { id: system, container } } })),
    enabled: !!constant,
  });
  if (!constant) return null;
  const now = constant.type === "reference" && "known" in constant.value ? constant.value.known : "";
  return (
    <label className="mt-2 grid grid-cols-[92px_1fr] items-center">
      <span className="text-ink-2">Folder</span>
      <Select
        aria-label="Folder"
        className="field w-full"
        value={now}
        onChange={(chosen) =>
          setRule({ ...rule, source: { constant: { type: "reference", value: { known: chosen } } } })
        }
      >
        <option value="" disabled>
          choose…
        </option>
        {folders.data?.map((f) => (
          <option key={f.id} value={f.id}>
            {f.path.join(" / ") || f.title}
          </option>
        ))}
      </Select>
    </label>
  );
}
