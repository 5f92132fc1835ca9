// Filters and views that are switched on: one alone, or several that arrow keys walk and Tab passes in one step.
import { Toggle, Toolbar } from "radix-ui";
import { createContext, useContext, type ButtonHTMLAttributes, type ReactNode } from "react";

const Together = createContext(false);

type PillProps = ButtonHTMLAttributes<HTMLButtonElement> & { on?: boolean };

export function Pill({ on, ...rest }: PillProps) {
  const together = useContext(Together);
  const look = on ? "border-ink shadow-[inset_0_0_0_.5px_var(--ink)]" : "border-hair";
  const pill = (
    <Toggle.Root
      pressed={!!on}
      {...rest}
      className={`flex items-center gap-[7px] rounded-[14px] border bg-sheet px-[11px] py-[3px] whitespace-nowrap ${look}`}
    />
  );
  return together ? <Toolbar.Button asChild>{pill}</Toolbar.Button> : pill;
}

type PillsProps = {
  label: string;
  className?: string;
  children: ReactNode;
};

/** Pills that belong together. */
export function Pills({ label, className = "", children }: PillsProps) {
  return (
    <Toolbar.Root aria-label={label} className={`flex flex-wrap items-center gap-1.5 ${className}`}>
      <Together value={true}>{children}</Together>
    </Toolbar.Root>
  );
}
