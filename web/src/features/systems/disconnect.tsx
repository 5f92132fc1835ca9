// Disconnecting a system. It asks before it acts: what Hovrel has read of the system must be read again afterwards.
import { useState } from "react";
import { Button } from "@/ui/basics";
import { Ask } from "@/ui/dialog";

export function Disconnect({ name, remove }: { name: string; remove: () => void }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button aria-haspopup="dialog" onClick={() => setOpen(true)}>
        Disconnect
      </Button>
      <Ask
        title={`Disconnect ${name}?`}
        open={open}
        onOpenChange={setOpen}
        keep="Keep the system"
        does={`Disconnect ${name}`}
        onDo={() => {
          setOpen(false);
          remove();
        }}
      >
        Its sign-in, its checks and its surveys are removed from Hovrel, and can’t be restored. Nothing in {name}{" "}
        changes. A system that a route uses can’t be disconnected: remove the route first.
      </Ask>
    </>
  );
}
