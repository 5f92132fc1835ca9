import { Popover } from "radix-ui";

/** A button that opens a small sheet. */
export function Pop({ label, title, children }: { label: string; title: string; children: React.ReactNode }) {
  return (
    <Popover.Root>
      <Popover.Trigger className="text-ink-2 underline decoration-hair underline-offset-3 hover:text-ink">
        {label}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          aria-label={title}
          sideOffset={6}
          collisionPadding={12}
          className="z-40 rounded-lg border border-hair bg-sheet p-4 shadow-lg"
        >
          {children}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
