// A route made from a file, or a new version of one: refused whole, every fault with its line.
import { useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { useNavigate } from "react-router";
import { api, ProblemError, take } from "@/api/client";
import { refresh } from "@/api/keys";
import { Button, Trouble } from "@/ui/basics";
import { Scroll } from "@/ui/scroll";

/** The button that asks for a file, and what is told of it; the latter stays while the list around it changes. */
export function useFromFile() {
  const input = useRef<HTMLInputElement>(null);
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [error, setError] = useState<unknown>();
  const send = async (file: File) => {
    setError(undefined);
    try {
      const body = await file.text();
      const route = await take(
        api.POST("/routes/file", {
          body,
          bodySerializer: (text) => text,
          headers: { "content-type": "application/yaml" },
        }),
      );
      await refresh.saved(queries, route);
      await navigate(`/routes/${route.id}/rules`);
    } catch (caught) {
      setError(caught);
    }
  };
  const faults = error instanceof ProblemError ? (error.problem.fields ?? []) : [];
  const button = <Button onClick={() => input.current?.click()}>Import from file</Button>;
  const told = (
    <>
      <input
        ref={input}
        type="file"
        accept=".yaml,.yml"
        aria-label="Route file"
        className="hidden"
        onChange={(e) => {
          const file = e.target.files?.[0];
          // The same file may be chosen again once it is mended.
          e.target.value = "";
          if (file) void send(file);
        }}
      />
      {error != null && (
        <div className="fixed inset-x-0 bottom-0 z-30 mx-auto w-full max-w-[760px] px-5">
          {faults.length === 0 ? (
            <Trouble error={error} />
          ) : (
            <div role="alert" className="my-2 rounded-md border border-clash bg-clash-wash px-4 py-3 text-left">
              <b className="font-semibold text-clash">Import failed; nothing changed</b>
              <Scroll as="ul" aria-label="Faults" className="my-1 max-h-[40vh]">
                {faults.map((f) => (
                  <li key={f.pointer} className="break-words first-letter:uppercase">
                    {f.detail}
                  </li>
                ))}
              </Scroll>
              <Button onClick={() => setError(undefined)}>Close</Button>
            </div>
          )}
        </div>
      )}
    </>
  );
  return { button, told };
}
