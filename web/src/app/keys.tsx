// Keys of a screen: handled while no text is being typed, and listed by `?`.
import { Dialog } from "radix-ui";
import {
  createContext,
  useContext,
  useEffect,
  useLayoutEffect,
  useMemo,
  useRef,
  useState,
  type ReactNode,
} from "react";
import { CheckLine, Kbd } from "@/ui/basics";
import { useReturn } from "@/ui/dialog";

export type Key = { key: string; does: string; run: () => void; ctrl?: boolean; shift?: boolean };

type Registry = { add: (keys: Key[]) => () => void; show: () => void };
const KeysContext = createContext<Registry>({ add: () => () => {}, show: () => {} });

/** Where it is kept that single letters do nothing (WCAG 2.2, 2.1.4): for whoever speaks to the computer. */
const LETTERS = "hovrel-letters-off";
const lettersOff = () => localStorage.getItem(LETTERS) === "1";

/** How a key is called. */
const keyWord = (k: Key) => {
  const names: Record<string, string> = {
    " ": "Space",
    ArrowDown: "↓",
    ArrowUp: "↑",
    ArrowLeft: "←",
    ArrowRight: "→",
    Escape: "Esc",
  };
  return `${k.ctrl ? "Ctrl " : ""}${k.shift ? "Shift " : ""}${names[k.key] ?? (k.key.length === 1 ? k.key.toUpperCase() : k.key)}`;
};

const OWN_KEYS = ["radiogroup", "tablist", "menu", "slider", "separator", "combobox"]
  .map((role) => `[role="${role}"]`)
  .join(", ");

/** Nothing is typed into a box that is ticked. */
const ticked = (target: EventTarget | null) =>
  target instanceof HTMLInputElement && /^(checkbox|radio)$/.test(target.type);

const typing = (target: EventTarget | null) =>
  target instanceof HTMLElement &&
  !ticked(target) &&
  (target.isContentEditable ||
    /^(INPUT|TEXTAREA)$/.test(target.tagName) ||
    // A choice takes letters for its list.
    !!target.closest('[role="combobox"], [role="listbox"][data-state="open"]'));

export function KeysProvider({ children }: { children: ReactNode }) {
  const sets = useRef(new Set<Key[]>());
  const [open, setOpen] = useState(false);
  const [listed, setListed] = useState<[string, Key[]][]>([]);
  const [off, setOff] = useState(lettersOff);
  const returns = useReturn();
  const registry = useMemo<Registry>(() => {
    const show = () => {
      setListed(grouped([...sets.current].flat()));
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
      if (document.querySelector('[role="dialog"], [role="alertdialog"], [role="menu"]') && !ctrl) return;
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
      if (lettersOff() && !found.ctrl && /^[a-z0-9[\]]$/i.test(found.key)) return;
      // Space and Enter on a button press the button; Space ticks a box, and arrows choose among several.
      if (
        (e.key === " " || e.key === "Enter") &&
        e.target instanceof HTMLElement &&
        e.target.closest("button, a, summary")
      )
        return;
      if (ticked(e.target) && (e.key === " " || e.key.startsWith("Arrow"))) return;
      // A control with keys of its own, such as a group of radio buttons or the line between two parts, keeps them.
      if (e.target instanceof HTMLElement && e.target.closest(OWN_KEYS) && /^(Arrow|Home|End|Page| )/.test(e.key))
        return;
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
            {...returns}
            aria-describedby={undefined}
            className="fixed top-[10vh] left-1/2 z-50 max-h-[80vh] w-[min(460px,calc(100vw-32px))] -translate-x-1/2 overflow-auto rounded-lg border border-hair bg-sheet p-5 shadow-xl"
          >
            <Dialog.Title className="text-[15px] font-semibold">Keys on this screen</Dialog.Title>
            <p className="mb-3 text-ink-2">{document.title.replace(/ · Hovrel$/, "")}</p>
            <ul className="space-y-1.5">
              {listed.map(([does, keys]) => (
                <li key={does} className="flex justify-between gap-4">
                  <span>{does}</span>
                  <span className="flex shrink-0 gap-1">
                    {keys.map((k) => (
                      <Kbd key={keyWord(k)}>{keyWord(k)}</Kbd>
                    ))}
                  </span>
                </li>
              ))}
            </ul>
            <div className="mt-4 border-t border-hair pt-3">
              <CheckLine
                checked={!off}
                onChange={() => {
                  localStorage.setItem(LETTERS, off ? "0" : "1");
                  setOff(!off);
                }}
              >
                Single letters and digits are keys
              </CheckLine>
            </div>
          </Dialog.Content>
        </Dialog.Portal>
      </Dialog.Root>
    </KeysContext.Provider>
  );
}

/** What keys do, each with all keys that do it; the list itself is the last. */
export function grouped(keys: Key[]): [string, Key[]][] {
  const out = new Map<string, Key[]>();
  for (const k of [...keys, { key: "?", does: "This list", run: () => {} }])
    out.set(k.does, [...(out.get(k.does) ?? []), k]);
  return [...out];
}

/** Registers keys while the component is shown. */
export function useKeys(keys: Key[]) {
  const { add } = useContext(KeysContext);
  const latest = useRef(keys);
  // Before anything else can happen: a key that is pressed as soon as a change is seen is about what is seen.
  useLayoutEffect(() => {
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
