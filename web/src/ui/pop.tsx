import { Popover } from "radix-ui";

type Props = {
  label: string;
  title: string;
  /** Whether it begins open. */
  defaultOpen?: boolean;
  children: React.ReactNode;
};

/** A button that opens a small sheet. */
export function Pop({ label, title, defaultOpen, children }: Props) {
  return (
    <Popover.Root defaultOpen={defaultOpen}>
      <Popover.Trigger className={popButton}>{label}</Popover.Trigger>
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

/** How such a button looks. */
export const popButton = "text-ink-2 underline decoration-hair underline-offset-3 hover:text-ink";
