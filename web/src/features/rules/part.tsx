// A part of the panel of a rule, under its title.
import type { ReactNode } from "react";

export function Part({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className="border-t border-hair-2 px-4 py-3 first:border-0">
      <h2 className="mb-1.5 font-semibold">{title}</h2>
      {children}
    </section>
  );
}
