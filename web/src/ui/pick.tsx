// A field that opens a sheet with a list to pick from, and a place to type what is looked for. Arrow keys walk the
// list, Enter picks.
import { Command } from "cmdk";
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
  open?: boolean;
  onOpenChange?: (open: boolean) => void;
  /** How the field looks, where it is not as usual. */
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
          className="z-40 max-h-(--radix-popover-content-available-height) w-[320px] overflow-auto rounded-lg border border-hair bg-sheet p-2 shadow-lg"
        >
          <Command shouldFilter={false} label={find}>
            <Command.Input
              aria-label={find}
              className="field mb-1.5 w-full"
              placeholder={asks}
              value={typed}
              onValueChange={onType}
            />
            <Command.List className="max-h-[260px] overflow-auto" label={label}>
              {children}
            </Command.List>
          </Command>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

type ItemProps = {
  /** What tells it from the others of the list. */
  id: string;
  onPick: () => void;
  /** Whether it is among what is picked now. */
  picked?: boolean;
  /** Levels below the first. */
  depth?: number;
  title?: string;
  children: ReactNode;
};

/** What can be picked. */
export function PickItem({ id, onPick, picked = false, depth = 0, title, children }: ItemProps) {
  return (
    <Command.Item
      value={id}
      onSelect={onPick}
      title={title}
      style={{ paddingLeft: 6 + 14 * depth }}
      className={`flex cursor-pointer items-baseline gap-2 rounded px-1.5 py-1 data-[selected=true]:bg-wash data-[selected=true]:shadow-[inset_2px_0_0_var(--ink)] ${picked ? "font-semibold" : ""}`}
    >
      {children}
    </Command.Item>
  );
}

/** A line that can't be picked: that there is nothing, or more. */
export function PickNote({ children }: { children: ReactNode }) {
  return (
    <p role="presentation" className="px-1.5 py-1 text-ink-3">
      {children}
    </p>
  );
}
