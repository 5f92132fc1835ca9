// Dialogs: a sheet to fill in, and a question before something that can't be undone.
import { AlertDialog, Dialog } from "radix-ui";
import { useRef, type ReactNode } from "react";
import { Button } from "./basics";

const VEIL = "fixed inset-0 z-40 bg-black/40";
const SHEET =
  "fixed top-[10vh] left-1/2 z-50 flex max-h-[80vh] -translate-x-1/2 flex-col overflow-auto rounded-lg border border-hair bg-sheet p-5 text-ink shadow-xl";
const NARROW = "w-[min(520px,calc(100vw-32px))]";
const WIDE = "w-[min(860px,calc(100vw-32px))]";

/** Gives the keyboard back to what opened a dialog, whatever that was. */
export function useReturn() {
  const opener = useRef<Element | null>(null);
  return {
    onOpenAutoFocus: () => {
      opener.current = document.activeElement;
    },
    onCloseAutoFocus: (e: Event) => {
      if (!(opener.current instanceof HTMLElement) || !opener.current.isConnected) return;
      e.preventDefault();
      opener.current.focus();
    },
  };
}

type SheetProps = {
  title: string;
  open: boolean;
  onOpenChange: (open: boolean) => void;
  /** For lists. */
  wide?: boolean;
  children: ReactNode;
};

/** A sheet over the page; focus goes back to where it came from when it is closed. */
export function Sheet({ title, open, onOpenChange, wide, children }: SheetProps) {
  const returns = useReturn();
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className={VEIL} />
        <Dialog.Content {...returns} aria-describedby={undefined} className={`${SHEET} ${wide ? WIDE : NARROW}`}>
          <Dialog.Title className="mb-3 text-[15px] font-semibold">{title}</Dialog.Title>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

type AskProps = {
  title: string;
  /** What will be gone, and what stays. */
  children: ReactNode;
  open: boolean;
  onOpenChange: (open: boolean) => void;
  /** What leaves everything as it is. */
  keep: string;
  /** More ways on, between keeping and doing it. */
  others?: ReactNode;
  does: string;
  onDo: () => void;
  /** Why it can't be done; nothing stands in the way without it. */
  why?: string;
};

/** Asks before something that can't be undone is done. */
export function Ask({ title, children, open, onOpenChange, keep, others, does, onDo, why }: AskProps) {
  const returns = useReturn();
  return (
    <AlertDialog.Root open={open} onOpenChange={onOpenChange}>
      <AlertDialog.Portal>
        <AlertDialog.Overlay className={VEIL} />
        <AlertDialog.Content {...returns} className={`${SHEET} ${NARROW}`}>
          <AlertDialog.Title className="mb-2 text-[15px] font-semibold">{title}</AlertDialog.Title>
          <AlertDialog.Description asChild>
            <div className="mb-4 text-ink-2">{children}</div>
          </AlertDialog.Description>
          <div className="flex flex-wrap justify-end gap-3">
            <AlertDialog.Cancel asChild>
              <Button>{keep}</Button>
            </AlertDialog.Cancel>
            {others}
            <Button danger why={why} onClick={onDo}>
              {does}
            </Button>
          </div>
        </AlertDialog.Content>
      </AlertDialog.Portal>
    </AlertDialog.Root>
  );
}
