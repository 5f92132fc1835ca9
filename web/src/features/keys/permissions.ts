// What access keys allow, in sentences.
import type { Schemas } from "@/api/client";

export type May = Schemas["May"];

/** Each permission: its name, and what it lets a pipeline do. */
export const permissions: Record<May, { name: string; lets: string }> = {
  look: { name: "Look", lets: "read systems, routes, plans and proofs" },
  dry_run: { name: "Dry run", lets: "check and survey systems, run dry runs and proofs" },
  transfer: { name: "Transfer", lets: "decide about changes and transfer them" },
  routes: { name: "Routes", lets: "create, change and import routes" },
};

const order = Object.keys(permissions) as May[];

/** “Can read systems, …; can decide about changes and transfer them. Writes nothing outside.” */
export function sentence(may: May[]): string {
  const lets = order.filter((m) => may.includes(m)).map((m) => permissions[m].lets);
  if (lets.length === 0) return "Can do nothing.";
  const writes = may.includes("transfer") ? "" : " Writes nothing to any system.";
  return `Can ${lets.join("; ")}.${writes}`;
}
