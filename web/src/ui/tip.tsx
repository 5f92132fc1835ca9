// A word that is explained when it is pointed at or reached by the keyboard.
import { Tooltip } from "radix-ui";
import type { ReactNode } from "react";

/** `children` is one button or link that is explained; words of their own get a button that does nothing else. */
export function Tip({ says, own, children }: { says: string; own?: boolean; children: ReactNode }) {
  return (
    <Tooltip.Provider delayDuration={300}>
      <Tooltip.Root>
        {own ? (
          <Tooltip.Trigger className="cursor-help text-left underline decoration-ink-3 decoration-dotted underline-offset-3">
            {children}
          </Tooltip.Trigger>
        ) : (
          <Tooltip.Trigger asChild>{children}</Tooltip.Trigger>
        )}
        <Tooltip.Portal>
          <Tooltip.Content
            sideOffset={4}
            collisionPadding={8}
            className="z-50 max-w-[min(340px,calc(100vw-32px))] rounded-md border border-hair bg-sheet px-2.5 py-1.5 text-ink shadow-lg"
          >
            {says}
          </Tooltip.Content>
        </Tooltip.Portal>
      </Tooltip.Root>
    </Tooltip.Provider>
  );
}
