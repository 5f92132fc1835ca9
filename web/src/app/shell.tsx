// The frame of every page: where to go, the finder, who is signed in.
import { DropdownMenu } from "radix-ui";
import { Suspense, useEffect, useRef, useState } from "react";
import { NavLink, Outlet, useLocation } from "react-router";
import { useTitleNow } from "@/lib/use-title";
import { Loading } from "@/ui/basics";
import { Finder } from "./finder";
import { places } from "./places";
import { KeysProvider, useKeys, useShowKeys } from "./keys";
import { useKeptFocus } from "./use-kept-focus";
import { SessionGate, useSession, useSignOut } from "./session";

function Bar() {
  const [finding, setFinding] = useState(false);
  const [header, setHeader] = useState<HTMLElement | null>(null);
  const session = useSession();
  const signOut = useSignOut();
  const showKeys = useShowKeys();
  useKeys([{ key: "k", ctrl: true, does: "Find or do", run: () => setFinding(true) }]);
  return (
    <header
      ref={setHeader}
      className="flex h-11 shrink-0 items-center gap-x-[22px] bg-bar px-5 text-[#e9e6dd] max-[760px]:gap-x-3"
    >
      <NavLink to="/" className="flex items-center gap-2 text-[15px] font-semibold">
        <svg width="20" height="20" viewBox="0 0 20 20" aria-hidden>
          <path d="M9 3a7 7 0 0 0 0 14z" fill="#5cc1d8" />
          <path d="M11 3a7 7 0 0 1 0 14z" fill="#f0a25b" />
        </svg>
        hovrel
      </NavLink>
      <nav aria-label="Main" className="flex gap-[22px] whitespace-nowrap max-[760px]:gap-3">
        {places.map(([to, name]) => (
          <NavLink
            key={to}
            to={to}
            end={to === "/"}
            className={({ isActive }) =>
              `border-b-2 pt-3 pb-2.5 ${isActive ? "border-[#f7f5f0] text-white" : "border-transparent text-[#b9c2c4]"}`
            }
          >
            {name}
          </NavLink>
        ))}
      </nav>
      <button
        type="button"
        aria-haspopup="dialog"
        onClick={() => setFinding(true)}
        aria-label="Find or do"
        className="ml-auto flex w-[230px] min-w-0 shrink justify-between gap-2 rounded-md border border-[#7d888c] px-2.5 py-1 text-[#aab4b7]"
      >
        <span className="truncate">Find or do…</span>{" "}
        <kbd className="kbd !border-[#7d888c] !bg-transparent whitespace-nowrap !text-[#aab4b7]">Ctrl K</kbd>
      </button>
      <DropdownMenu.Root modal={false}>
        <DropdownMenu.Trigger className="max-w-[160px] shrink-0 truncate text-[#b9c2c4]">
          {session.data?.name}
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal container={header}>
          <DropdownMenu.Content
            align="end"
            sideOffset={8}
            className="z-40 min-w-40 rounded-md border border-hair bg-sheet p-1 text-ink shadow-lg"
          >
            <DropdownMenu.Item onSelect={showKeys} className="rounded px-3 py-1.5 data-highlighted:bg-wash">
              Keys on this screen
            </DropdownMenu.Item>
            <DropdownMenu.Item onSelect={() => void signOut()} className="rounded px-3 py-1.5 data-highlighted:bg-wash">
              Sign out
            </DropdownMenu.Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      <Finder open={finding} onOpenChange={setFinding} />
    </header>
  );
}

/** Where the keyboard goes on a page: past the bar that is the same on every one. */
const CONTENT = "content";

export function Shell() {
  return (
    <SessionGate>
      <KeysProvider>
        <Page />
      </KeysProvider>
    </SessionGate>
  );
}

function Page() {
  const { pathname } = useLocation();
  const main = useRef<HTMLElement>(null);
  const title = useTitleNow();
  useKeptFocus(main);
  // What was scrolled on one page is not where another begins.
  useEffect(() => {
    // Newer browsers return a promise here, which is no way to clean up.
    void main.current?.scrollTo(0, 0);
    // What was pressed to come here is gone: the keyboard goes on with the page.
    if (document.activeElement === document.body) main.current?.focus({ preventScroll: true });
  }, [pathname]);
  return (
    <div className="flex h-full flex-col overflow-hidden">
      <a
        href={`#${CONTENT}`}
        className="absolute top-1 left-1 z-50 -translate-y-16 rounded bg-sheet px-3 py-1.5 text-ink focus:translate-y-0"
        onClick={(e) => {
          e.preventDefault();
          main.current?.focus();
        }}
      >
        Skip to the page
      </a>
      <Bar />
      <p role="status" className="sr-only">
        {title}
      </p>
      <main id={CONTENT} ref={main} tabIndex={-1} className="flex min-h-0 flex-1 flex-col overflow-auto outline-none">
        <Suspense fallback={<Loading what="the page" />}>
          <Outlet />
        </Suspense>
      </main>
    </div>
  );
}
