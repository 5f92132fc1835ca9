// The finder: any artefact, route, system or action by a few letters.
import { useQuery } from "@tanstack/react-query";
import { Command } from "cmdk";
import { Dialog } from "radix-ui";
import { useRef, useState } from "react";
import { useNavigate } from "react-router";
import { api, take } from "@/api/client";
import { keys } from "@/api/keys";
import { useReturn } from "@/ui/dialog";
import { stopNames } from "@/features/route/stops";
import { itemPath } from "@/lib/paths";
import { kindWord } from "@/lib/words";
import { useShowKeys } from "./keys";
import { places } from "./places";
import { useSignOut } from "./session";

/** Screens of a route: its stops, and its versions. */
const ofRoute = [...stopNames, ["versions", "Versions"]] as const;

/** Screens and actions that are not of one route or system. */
const general = [...places, ["/systems/new", "Connect a system"], ["/routes/new", "Create a route"]] as const;

export function Finder({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  const went = useRef(false);
  const returns = useReturn();
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/40" />
        <Dialog.Content
          aria-describedby={undefined}
          onOpenAutoFocus={returns.onOpenAutoFocus}
          onCloseAutoFocus={(e) => {
            // Where one went is where the keyboard goes on; where one stayed, it is as it was.
            if (went.current) {
              e.preventDefault();
              document.getElementById("content")?.focus();
            } else returns.onCloseAutoFocus(e);
            went.current = false;
          }}
          className="fixed top-[14%] left-1/2 z-50 w-[min(620px,calc(100vw-32px))] -translate-x-1/2 overflow-hidden rounded-lg border border-hair bg-sheet text-ink shadow-xl"
        >
          <Dialog.Title className="sr-only">Find or do</Dialog.Title>
          <Choices
            close={() => onOpenChange(false)}
            leave={() => {
              went.current = true;
              onOpenChange(false);
            }}
          />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function Choices({ close, leave }: { close: () => void; leave: () => void }) {
  const navigate = useNavigate();
  const showKeys = useShowKeys();
  const signOut = useSignOut();
  const [words, setWords] = useState("");
  const routes = useQuery({ queryKey: keys.routes, queryFn: () => take(api.GET("/routes")) });
  const systems = useQuery({ queryKey: keys.systems, queryFn: () => take(api.GET("/systems")) });
  const found = useQuery({
    queryKey: keys.found(words),
    queryFn: () => take(api.GET("/find", { params: { query: { q: words } } })),
    enabled: words.trim().length > 1,
    placeholderData: (before) => before,
  });
  const go = (to: string) => () => {
    leave();
    void navigate(to);
  };
  const heading = "px-3 pt-3 pb-1 [&_[cmdk-group-heading]]:text-[11px] [&_[cmdk-group-heading]]:text-ink-3";
  const item = "flex items-baseline gap-2 rounded px-2 py-1.5 data-[selected=true]:bg-wash";
  return (
    <Command label="Find or do">
      <Command.Input
        value={words}
        onValueChange={setWords}
        placeholder="Search items, routes, systems, actions"
        className="w-full border-b border-hair bg-sheet px-5 py-3.5 text-[15px] outline-none"
      />
      <Command.List className="max-h-[420px] overflow-auto pb-2">
        <Command.Empty className="px-5 py-6 text-ink-3">No matches</Command.Empty>
        <Command.Group heading="Go to and do" className={heading}>
          {general.map(([to, name]) => (
            <Command.Item key={to} className={item} onSelect={go(to)}>
              {name}
            </Command.Item>
          ))}
          <Command.Item
            className={item}
            onSelect={() => {
              close();
              // The list of keys opens when the finder is gone.
              setTimeout(showKeys, 0);
            }}
          >
            Keys on this screen
          </Command.Item>
          <Command.Item className={item} onSelect={() => void signOut()}>
            Sign out
          </Command.Item>
        </Command.Group>
        {!!routes.data?.length && (
          <Command.Group heading="Routes" className={heading}>
            {routes.data.flatMap((r) =>
              ofRoute.map(([stop, name]) => (
                <Command.Item
                  key={r.id + stop}
                  className={item}
                  value={`${r.name} ${name} ${r.id}`}
                  onSelect={go(`/routes/${r.id}/${stop}`)}
                >
                  {r.name} <span className="text-ink-3">{name}</span>
                </Command.Item>
              )),
            )}
          </Command.Group>
        )}
        {!!systems.data?.length && (
          <Command.Group heading="Systems" className={heading}>
            {systems.data.map((s) => (
              <Command.Item key={s.id} className={item} value={`${s.name} ${s.id}`} onSelect={go(`/systems/${s.id}`)}>
                {s.name} <span className="text-ink-3">{s.address}</span>
              </Command.Item>
            ))}
          </Command.Group>
        )}
        {!!found.data?.length && (
          <Command.Group heading="Items, as last surveyed" className={heading}>
            {found.data.map((f) => (
              <Command.Item
                key={f.system + f.kind + f.id}
                className={item}
                value={`${f.key} ${f.title} ${f.path} ${words}`}
                onSelect={go(itemPath(f.system, f.container, f.kind, f.id))}
              >
                <span className="mono shrink-0 text-ink-2">{f.key}</span>
                <span className="truncate">{f.title}</span>
                <span className="ml-auto shrink-0 text-ink-3">
                  {kindWord[f.kind]} · {f.system_name}
                </span>
              </Command.Item>
            ))}
          </Command.Group>
        )}
      </Command.List>
    </Command>
  );
}
