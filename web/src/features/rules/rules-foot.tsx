// The foot of the Rules stop: its keys, whether the rules are sound, and what comes next.
import { count } from "@/lib/words";
import { Button, Foot, Kbd } from "@/ui/basics";

type Props = {
  /** Faults that a dry run must wait for. */
  problems: number;
  valid: boolean;
  /** The version that saving makes. */
  version: number;
  /** None if there is nothing to save. */
  save?: () => void;
  dryRun: () => void;
};

export function RulesFoot({ problems, valid, version, save, dryRun }: Props) {
  return (
    <Foot
      keys={
        <>
          <span>
            <Kbd>↑</Kbd> <Kbd>↓</Kbd> field
          </span>
          <span>
            <Kbd>Enter</Kbd> edit rule
          </span>
          <span>
            <Kbd>[</Kbd> <Kbd>]</Kbd> another item
          </span>
          <span>
            <Kbd>S</Kbd> next problem
          </span>
        </>
      }
    >
      {problems > 0 ? (
        <span role="status" className="text-clash">
          {count(problems, "rule problem")} to fix before a dry run
        </span>
      ) : (
        valid && (
          <span role="status" className="text-ok">
            every rule is valid
          </span>
        )
      )}
      <Button disabled={!save} onClick={save}>
        Save as version {version}
      </Button>
      <Button go disabled={!valid} onClick={dryRun}>
        Dry run
      </Button>
    </Foot>
  );
}
