// A field that opens a sheet with a list to pick from, and a place to type what is looked for.
import { Popover } from "radix-ui";
import type { ReactNode } from "react";

type Props = {
  /** What is picked, for whoever can't see it. */
  label: string;
  /** What is picked now; without it, `invites`. */
  shown?: string;
  invites: string;
  /** What the place to type is called, and what it asks for. */
  find: string;
  asks?: string;
  typed: string;
  onType: (text: string) => void;
  onEnter?: () => void;
  open?: boolean;
  onOpenChange?: (open: boolean) => void;
  /** How the field looks, where it is not use the default above. */
  look?: string;
  children: ReactNode;
};

const USUAL = "field min-w-0 flex-1 truncate text-left";

export function Pick({
  label,
  shown,
  invites,
  find,
  asks = find,
  typed,
  onType,
  onEnter,
  look = USUAL,
  children,
  ...root
}: Props) {
  return (
    <Popover.Root {...root}>
      <Popover.Trigger className={look} aria-label={label} title={shown}>
        {shown || <span className="text-ink-3">{invites}</span>}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          aria-label={label}
          sideOffset={4}
          collisionPadding={12}
          align="start"
          className="z-40 w-[320px] rounded-lg border border-hair bg-sheet p-2 shadow-lg"
        >
          <input
            aria-label={find}
            className="field mb-1.5 w-full"
            placeholder={asks}
            value={typed}
            onChange={(e) => onType(e.target.value)}
            onKeyDown={(e) => e.key === "Enter" && onEnter?.()}
          />
          <ul className="max-h-[260px] overflow-auto">{children}</ul>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
