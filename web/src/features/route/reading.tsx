// What a job that reads both ends is doing now.
import type { Job } from "@/api/jobs";
import { kindsWord } from "@/lib/words";

export function Reading({ job, lost }: { job: Job; lost: boolean }) {
  const p = job.progress as { phase?: string; system?: string; kind?: string; read?: number; total?: number };
  return (
    <>
      <p role="status">
        {p.phase === "comparing"
          ? "Comparing what was read"
          : p.system
            ? `${p.system}: ${kindsWord(p.kind)}, ${p.read} of ${p.total ?? "?"}`
            : "Waiting for a worker"}
      </p>
      {lost && <p className="text-clash">The connection is lost and will be restored by itself.</p>}
    </>
  );
}
