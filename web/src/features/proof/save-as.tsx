// The proof as files to be handed on.
import { useQuery } from "@tanstack/react-query";
import { api, take } from "@/api/client";
import { keys } from "@/api/keys";
import { Tip } from "@/ui/tip";

export function SaveAs({ route, proof }: { route: string; proof: string }) {
  const key = useQuery({
    queryKey: keys.signingKey,
    queryFn: () => take(api.GET("/signing-key")),
    staleTime: Infinity,
  });
  const forms = [
    ["html", "Page", "A page with everything in it, to read or print"],
    ["xlsx", "Spreadsheet", "Counts, fields, differences and losses, a sheet each"],
    ["json", "Signed file", `Signed with the key ${key.data?.fingerprint ?? "…"}; hovrel proof verify checks it`],
  ] as const;
  return (
    <nav aria-label="Save the proof" className="flex items-center gap-3">
      <span className="text-ink-2">Save as</span>
      {forms.map(([form, name, help]) => (
        <Tip key={form} says={help}>
          <a
            href={`/api/v1/routes/${route}/proofs/${proof}/files/${form}`}
            download
            className="underline decoration-hair underline-offset-3 hover:decoration-ink"
          >
            {name}
          </a>
        </Tip>
      ))}
    </nav>
  );
}
