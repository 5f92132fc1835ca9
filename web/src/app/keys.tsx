// Keys of a screen: handled while no text is being typed, and listed by `?`.
import { Dialog } from "radix-ui";
import { createContext, useContext, useEffect, useMemo, useRef, useState, type ReactNode } from "react";
import { Kbd } from "@/ui/basics";

export type Key = { key: string; does: string; run: () => void; ctrl?: boolean; shift?: boolean };

type Registry = { add: (keys: Key[]) => () => void; show: () => void };
const KeysContext = createContext<Registry>({ add: () => () => {}, show: () => {} });

/** Nothing is typed into a box that is ticked. */
const ticked = (target: EventTarget | null) =>
  target instanceof HTMLInputElement && /^(checkbox|radio)$/.test(target.type);

const typing = (target: EventTarget | null) =>
  target instanceof HTMLElement &&
  !ticked(target) &&
  (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName));

export function KeysProvider({ children }: { children: ReactNode }) {
  const sets = useRef(new Set<Key[]>());
  const [open, setOpen] = useState(false);
  const [listed, setListed] = useState<Key[]>([]);
  const registry = useMemo<Registry>(() => {
    const show = () => {
      setListed([...sets.current].flat());
      setOpen(true);
    };
    return {
      add(keys) {
        sets.current.add(keys);
        return () => void sets.current.delete(keys);
      },
      show,
    };
  }, []);
  useEffect(() => {
    const down = (e: KeyboardEvent) => {
      // What an editor did with a key is done.
      if (e.defaultPrevented) return;
      const ctrl = e.ctrlKey || e.metaKey;
      if (document.querySelector('[role="dialog"]') && !ctrl) return;
      if (e.key === "?" && !typing(e.target)) {
        e.preventDefault();
        registry.show();
        return;
      }
      const found = [...sets.current]
        .flat()
        .find(
          (k) =>
            k.key.toLowerCase() === e.key.toLowerCase() && !!k.ctrl === ctrl && (!ctrl || !!k.shift === e.shiftKey),
        );
      if (!found || (typing(e.target) && !found.ctrl)) return;
      // Space and Enter on a button press the button; Space ticks a box, and arrows choose among several.
      if (
        (e.key === " " || e.key === "Enter") &&
        e.target instanceof HTMLElement &&
        e.target.closest("button, a, summary")
      )
        return;
      if (ticked(e.target) && (e.key === " " || e.key.startsWith("Arrow"))) return;
      e.preventDefault();
      found.run();
    };
    window.addEventListener("keydown", down);
    return () => window.removeEventListener("keydown", down);
  }, [registry]);
  return (
    <KeysContext.Provider value={registry}>
      {children}
      <Dialog.Root open={open} onOpenChange={setOpen}>
        <Dialog.Portal>
          <Dialog.Overlay className="fixed inset-0 z-40 bg-black/40" />
          <Dialog.Content
            aria-describedby={undefined}
            className="fixed top-[18%] left-1/2 z-50 w-[420px] -translate-x-1/2 rounded-lg border border-hair bg-sheet p-5 shadow-xl"
          >
            <Dialog.Title className="mb-3 text-[15px] font-semibold">Keys on this screen</Dialog.Title>
            <ul className="space-y-1.5">
              {[...listed, { key: "?", does: "This list", run: () => {} } as Key].map((k) => (
                <li key={k.key + k.does} className="flex justify-between gap-4">
                  <span>{k.does}</span>
                  <Kbd>
                    {k.ctrl ? "Ctrl " : ""}
                    {k.shift ? "Shift " : ""}
                    {k.key === " " ? "Space" : k.key.toUpperCase()}
                  </Kbd>
                </li>
              ))}
            </ul>
          </Dialog.Content>
        </Dialog.Portal>
      </Dialog.Root>
    </KeysContext.Provider>
  );
}

/** Registers keys while the component is shown. */
export function useKeys(keys: Key[]) {
  const { add } = useContext(KeysContext);
  const latest = useRef(keys);
  useEffect(() => {
    latest.current = keys;
  });
  const shape = keys.map((k) => `${k.ctrl ? "^" : ""}${k.shift ? "+" : ""}${k.key}`).join("|");
  useEffect(() => {
    const stable = latest.current.map((k, n) => ({ ...k, run: () => latest.current[n]?.run() }));
    return add(stable);
  }, [add, shape]);
}

export function useShowKeys() {
  return useContext(KeysContext).show;
}
