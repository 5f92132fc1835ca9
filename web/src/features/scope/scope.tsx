// The Scope stop: conditions at both ends of each lane, with what they cover as they are typed.
import { useNavigate } from "react-router";
import { Button, Foot, Kbd, Loading, Trouble } from "@/ui/basics";
import { useKeys } from "@/app/keys";
import { Scroll } from "@/ui/scroll";
import { useDraft, type Lane } from "../route/draft";
import { LaneName, LanesBar, useLane } from "../route/lanes-bar";
import { endOf, useSchema } from "../route/use-schema";
import { EndScope } from "./end-scope";

export default function Scope() {
  const { route, save, dirty, error } = useDraft();
  const navigate = useNavigate();
  const schema = useSchema(route);
  const [lane] = useLane();
  useKeys([{ key: "s", ctrl: true, does: "Save as a version", run: () => void save() }]);
  if (schema.isPending) return <Loading what="both ends" />;
  if (schema.error)
    return (
      <div className="p-8">
        <Trouble error={schema.error} />
      </div>
    );
  const name = (end: "left" | "right") => (l: Lane) => endOf(schema.data, l, end).kind?.name ?? "?";
  return (
    <>
      <LanesBar left={name("left")} right={name("right")}>
        <LaneName />
      </LanesBar>
      <Scroll aria-label="Scope" className="grid min-h-0 flex-1 grid-cols-[1fr_56px_1fr] px-5 py-4">
        {lane && (
          <>
            <EndScope key={`left ${lane.id}`} end="left" lane={lane} schema={schema.data} />
            <div aria-hidden className="spine-cell" />
            <EndScope key={`right ${lane.id}`} end="right" lane={lane} schema={schema.data} />
          </>
        )}
      </Scroll>
      {error != null && (
        <div className="px-5">
          <Trouble error={error} />
        </div>
      )}
      <Foot
        keys={
          <>
            <span>
              <Kbd>Ctrl S</Kbd> save
            </span>
            <span>
              <Kbd>Ctrl Z</Kbd> undo
            </span>
            <span>
              <Kbd>Ctrl Y</Kbd> redo
            </span>
          </>
        }
      >
        {lane?.left_kind !== "folder" && (
          <span className="text-ink-2">Folders are limited to those that hold something in scope.</span>
        )}
        <Button disabled={!dirty} onClick={() => void save()}>
          Save as version {route.version + 1}
        </Button>
        <Button
          go
          onClick={() => void (dirty ? save().then((ok) => ok && navigate("../rules")) : navigate("../rules"))}
        >
          Open the rules
        </Button>
      </Foot>
    </>
  );
}
