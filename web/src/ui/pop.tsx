import { Popover } from "radix-ui";
import { useState } from "react";

const LOOK = "text-ink-2 underline decoration-hair underline-offset-3 hover:text-ink";

/** A button that opens a small sheet. */
export function Pop({ label, title, children }: { label: string; title: string; children: React.ReactNode }) {
  // There may be hundreds of such buttons: what opens is made when somebody asks for it.
  const [asked, setAsked] = useState(false);
  if (!asked)
    return (
      <button
        type="button"
        aria-haspopup="dialog"
        aria-expanded={false}
        className={LOOK}
        onClick={() => setAsked(true)}
      >
        {label}
      </button>
    );
  return (
    <Popover.Root defaultOpen>
      <Popover.Trigger className={LOOK}>{label}</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          aria-label={title}
          // What is longer than the window is scrolled by keys.
          tabIndex={0}
          sideOffset={6}
          collisionPadding={12}
          className="z-40 max-h-(--radix-popover-content-available-height) max-w-[calc(100vw-24px)] overflow-auto rounded-lg border border-hair bg-sheet p-4 shadow-lg"
        >
          {children}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
