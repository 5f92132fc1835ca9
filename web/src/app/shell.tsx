// The frame of every page: where to go, the finder, who is signed in.
import { DropdownMenu } from "radix-ui";
import { Suspense, useState } from "react";
import { NavLink, Outlet } from "react-router";
import { Loading } from "@/ui/basics";
import { Finder } from "./finder";
import { KeysProvider, useKeys, useShowKeys } from "./keys";
import { SessionGate, useSession, useSignOut } from "./session";

const places = [
  ["/", "Overview"],
  ["/systems", "Systems"],
  ["/routes", "Routes"],
  ["/keys", "Keys"],
] as const;

function Bar() {
  const [finding, setFinding] = useState(false);
  const session = useSession();
  const signOut = useSignOut();
  const showKeys = useShowKeys();
  useKeys([{ key: "k", ctrl: true, does: "Find or do", run: () => setFinding(true) }]);
  return (
    <header className="flex h-11 shrink-0 items-center gap-[22px] bg-bar px-5 text-[#e9e6dd]">
      <NavLink to="/" className="flex items-center gap-2 text-[15px] font-semibold">
        <svg width="20" height="20" viewBox="0 0 20 20" aria-hidden>
          <path d="M9 3a7 7 0 0 0 0 14z" fill="#5cc1d8" />
          <path d="M11 3a7 7 0 0 1 0 14z" fill="#f0a25b" />
        </svg>
        hovrel
      </NavLink>
      <nav aria-label="Main" className="flex gap-[22px]">
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
        onClick={() => setFinding(true)}
        className="ml-auto flex w-[230px] justify-between rounded-md border border-[#4a555a] px-2.5 py-1 text-[#aab4b7]"
      >
        Find or do… <kbd className="kbd !border-[#4a555a] !bg-transparent !text-[#aab4b7]">Ctrl K</kbd>
      </button>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger className="text-[#b9c2c4]">{session.data?.name}</DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            align="end"
            sideOffset={8}
            className="z-40 min-w-40 rounded-md border border-hair bg-sheet p-1 shadow-lg"
          >
            <DropdownMenu.Item onSelect={showKeys} className="rounded px-3 py-1.5 data-highlighted:bg-wash">
              Keyboard on this screen
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

export function Shell() {
  return (
    <SessionGate>
      <KeysProvider>
        <div className="flex h-full min-w-[960px] flex-col overflow-hidden">
          <Bar />
          <main className="flex min-h-0 flex-1 flex-col">
            <Suspense fallback={<Loading what="the page" />}>
              <Outlet />
            </Suspense>
          </main>
        </div>
      </KeysProvider>
    </SessionGate>
  );
}
