// Which lane is looked at; kept in the address.
import { useState } from "react";
import { useSearchParams } from "react-router";
import { toast } from "sonner";
import { api, take, type Schemas } from "@/api/client";
import { arrow, ownName, turnedWords, withPolicy } from "@/lib/lanes";
import { Trouble } from "@/ui/basics";
import { Select } from "@/ui/select";
import { Tip } from "@/ui/tip";
import { Pill, Pills } from "@/ui/pills";
import { Pop } from "@/ui/pop";
import { useDraft, type Lane } from "./draft";

/** The lane in the address; without one, that of the test cases, or the last. */
export function useLane(): [Lane | undefined, (id: string) => void] {
  const { lanes } = useDraft();
  const [query, setQuery] = useSearchParams();
  const lane = lanes.find((l) => l.id === query.get("lane")) ?? mainLane(lanes);
  return [lane, (id) => setQuery({ lane: id }, { replace: true })];
}

/** The lane that most people look for first. */
export function mainLane<L extends { left_kind: Schemas["Kind"] }>(lanes: L[]): L | undefined {
  return lanes.find((l) => l.left_kind === "test_case") ?? lanes.at(-1);
}

function OwnName({ lane, lanes }: { lane: Lane; lanes: Lane[] }) {
  const name = ownName(lane, lanes, (l) => l.id);
  return name && <span className="max-w-[240px] truncate text-ink-2">· {name}</span>;
}

/** Longest name of a lane, in characters; the server takes no longer one. */
const LONGEST = 100;

/** Where the lane that is looked at gets another name: its pairs stay as they are. */
export function LaneName() {
  const { changeLane } = useDraft();
  const [lane] = useLane();
  if (!lane) return null;
  return (
    <Pop label="Rename the lane" title="Name of the lane">
      <label className="block w-[320px]">
        <span className="text-ink-2">Name of the lane</span>
        <input
          className="field mt-1 w-full"
          autoFocus
          maxLength={LONGEST}
          value={lane.name ?? ""}
          onChange={(e) => changeLane(lane.id, (l) => ({ ...l, name: e.target.value }))}
        />
      </label>
      <p className="mt-2 w-[320px] text-ink-2">
        It stands beside the kinds, here and in proofs. Pairs, matches and decisions stay as they are.
      </p>
    </Pop>
  );
}

/** Which way the lane that is looked at runs. Its rules are turned with it, as far as they can be. */
export function LaneDirection({ left, right }: { left: string; right: string }) {
  const { route, changeLane } = useDraft();
  const [lane] = useLane();
  const [error, setError] = useState<unknown>();
  if (!lane) return null;
  const turn = async (direction: Schemas["Direction"]) => {
    setError(undefined);
    const asked = JSON.stringify(lane);
    try {
      const params = { path: { id: route.id } };
      const turned = await take(api.POST("/routes/{id}/turned", { params, body: { lane, direction } }));
      // What was edited while it was asked for stays.
      changeLane(lane.id, (l) => (JSON.stringify(l) === asked ? turned.lane : l));
      const told = turnedWords(turned, direction);
      if (told) toast(told);
    } catch (caught) {
      setError(caught);
    }
  };
  return (
    <label className="flex items-center gap-1.5 text-ink-2">
      Direction
      <Select
        className="field"
        aria-label="Direction of the lane"
        value={lane.direction ?? "to_right"}
        onChange={(chosen) => void turn(chosen as Schemas["Direction"])}
      >
        <option value="to_right">
          {left} → {right}
        </option>
        <option value="both">
          {left} ↔ {right}
        </option>
        <option value="to_left">
          {left} ← {right}
        </option>
      </Select>
      {!!error && <Trouble error={error} />}
    </label>
  );
}

/** What is done where both ends edited the same of a field, in a lane that carries both ways. */
export function LaneBothEdited({ left, right }: { left: string; right: string }) {
  const { changeLane } = useDraft();
  const [lane] = useLane();
  if (lane?.direction !== "both") return null;
  return (
    <span className="flex items-center gap-1.5 text-ink-2">
      <Tip
        own
        says="Edits in different parts are merged. Which edit is newer is taken from each system’s history of the field; where that tells no time, a clock is off, or the edits are within a minute, a person decides. What is written over stays in the record."
      >
        If both edit the same
      </Tip>
      <Select
        className="field"
        aria-label="If both edit the same"
        value={lane.policies?.both_edited ?? "ask"}
        onChange={(chosen) =>
          changeLane(lane.id, (l) => withPolicy(l, { both_edited: chosen as Schemas["BothEdited"] }))
        }
      >
        <option value="ask">a person decides</option>
        <option value="left_wins">use the edit at {left}</option>
        <option value="right_wins">use the edit at {right}</option>
        <option value="newest">use the newer edit</option>
      </Select>
    </span>
  );
}

export function LanesBar({
  left,
  right,
  marks,
  children,
}: {
  left: (l: Lane) => string;
  right: (l: Lane) => string;
  /** How many things wait in a lane. */
  marks?: (l: Lane) => number;
  children?: React.ReactNode;
}) {
  const { lanes } = useDraft();
  const [lane, setLane] = useLane();
  return (
    <div className="flex shrink-0 items-start gap-2 border-b border-hair px-5 py-2.5">
      <Pills label="Lanes">
        {lanes.map((l) => (
          <Pill key={l.id} on={l.id === lane?.id} onClick={() => setLane(l.id)}>
            <b className="font-semibold">{left(l)}</b>{" "}
            <span className="text-ink-2">
              {arrow(l)} {right(l)}
            </span>
            <OwnName lane={l} lanes={lanes} />
            {!!marks?.(l) && <b className="font-semibold text-clash">{marks(l)}</b>}
          </Pill>
        ))}
      </Pills>
      <div className="ml-auto flex shrink-0 items-center justify-end gap-3 max-[1000px]:shrink max-[1000px]:flex-wrap">
        {children}
      </div>
    </div>
  );
}
