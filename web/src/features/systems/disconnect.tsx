// Disconnecting a system. It asks before it acts: what Hovrel has read of the system must be read again afterwards.
import { AlertDialog } from "radix-ui";
import { Button } from "@/ui/basics";

export function Disconnect({ name, remove }: { name: string; remove: () => void }) {
  return (
    <AlertDialog.Root>
      <AlertDialog.Trigger asChild>
        <Button>Disconnect</Button>
      </AlertDialog.Trigger>
      <AlertDialog.Portal>
        <AlertDialog.Overlay className="fixed inset-0 z-40 bg-ink/30" />
        <AlertDialog.Content className="fixed top-1/3 left-1/2 z-50 w-[440px] -translate-x-1/2 rounded-lg border border-hair bg-sheet p-5 shadow-lg">
          <AlertDialog.Title className="mb-1 text-[15px] font-semibold">Disconnect {name}?</AlertDialog.Title>
          <AlertDialog.Description className="mb-4 text-ink-2">
            Its access and its surveys are removed from Hovrel. Nothing in {name} changes. A system that a route uses
            can't be disconnected; remove the route first.
          </AlertDialog.Description>
          <div className="flex justify-end gap-2">
            <AlertDialog.Cancel asChild>
              <Button>Keep it</Button>
            </AlertDialog.Cancel>
            <AlertDialog.Action asChild>
              <Button danger onClick={remove}>
                Disconnect {name}
              </Button>
            </AlertDialog.Action>
          </div>
        </AlertDialog.Content>
      </AlertDialog.Portal>
    </AlertDialog.Root>
  );
}
