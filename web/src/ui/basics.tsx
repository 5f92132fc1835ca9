// Buttons, pills, checkboxes and the states every view has: loading, empty, failed.
import { Checkbox } from "radix-ui";
import { Link, type LinkProps } from "react-router";
import { useId, type ButtonHTMLAttributes, type ReactNode } from "react";
import { ProblemError } from "@/api/client";
import { JobError } from "@/api/jobs";

type ButtonProps = ButtonHTMLAttributes<HTMLButtonElement> & {
  go?: boolean;
  danger?: boolean;
  /** Why it can't be pressed now: shown beside it, and read out with it. */
  why?: string | false;
};

export function Button({ go, danger, why, className = "", ...rest }: ButtonProps) {
  const id = useId();
  const button = (
    <button
      type="button"
      aria-describedby={why ? id : undefined}
      {...rest}
      disabled={!!why || rest.disabled}
      className={`${shape} disabled:opacity-50 ${danger ? "border-clash bg-sheet text-clash" : look(go)} ${className}`}
    />
  );
  if (!why) return button;
  return (
    <span className="flex min-w-0 items-center gap-2">
      <span id={id} className="min-w-0 text-right text-ink-2">
        {why}
      </span>
      {button}
    </span>
  );
}

/** A link that looks like a button: it leads to a place and does nothing else, so it is named after that place. */
export function ButtonLink({ go, className = "", ...rest }: LinkProps & { go?: boolean }) {
  return <Link {...rest} className={`${shape} inline-block ${look(go)} ${className}`} />;
}

const shape = "rounded-md border px-3 py-[5px] font-medium whitespace-nowrap";

/** The one action that a view is about stands out; the others don't. */
const look = (go?: boolean) => (go ? "border-ink bg-ink text-paper" : "border-ink-3 bg-sheet text-ink");

type CheckProps = {
  state: "in" | "some" | "out";
  label: string;
  onChange: () => void;
  disabled?: boolean;
  tabIndex?: number;
};

/** In, out, or partly in. */
export function Check({ state, label, onChange, disabled, tabIndex }: CheckProps) {
  const fill = { in: "bg-ink", some: "bg-[linear-gradient(90deg,var(--ink)_50%,transparent_50%)]", out: "" }[state];
  return (
    <Checkbox.Root
      checked={state === "some" ? "indeterminate" : state === "in"}
      aria-label={label}
      disabled={disabled}
      tabIndex={tabIndex}
      onCheckedChange={onChange}
      onClick={(e) => e.stopPropagation()}
      className="inline-flex size-[24px] shrink-0 items-center justify-center disabled:opacity-35"
    >
      <span className={`size-[13px] rounded-[3px] border-[1.5px] border-ink-2 ${fill}`} />
    </Checkbox.Root>
  );
}

/** A box to tick, with its words beside it. */
export function CheckLine({
  checked,
  onChange,
  children,
  disabled,
  label,
}: {
  checked: boolean;
  onChange: () => void;
  children: ReactNode;
  disabled?: boolean;
  /** What it is called, where the words beside it say more than that. */
  label?: string;
}) {
  const id = useId();
  return (
    <div className="flex items-start gap-2">
      <Checkbox.Root
        id={id}
        checked={checked}
        disabled={disabled}
        aria-label={label}
        onCheckedChange={onChange}
        className="mt-[3px] flex size-[14px] shrink-0 items-center justify-center rounded-[3px] border-[1.5px] border-ink-2 bg-sheet disabled:opacity-50 data-[state=checked]:bg-ink"
      >
        <Checkbox.Indicator className="text-paper">
          <svg width="10" height="10" viewBox="0 0 10 10" aria-hidden>
            <path d="M1.5 5.2l2.3 2.3 4.7-5" fill="none" stroke="currentColor" strokeWidth="1.8" />
          </svg>
        </Checkbox.Indicator>
      </Checkbox.Root>
      <label htmlFor={id} className="min-w-0">
        {children}
      </label>
    </div>
  );
}

export function Loading({ what }: { what: string }) {
  return (
    <p role="status" className="p-8 text-center text-ink-3">
      Reading {what}…
    </p>
  );
}

export function Empty({ title, children, action }: { title: string; children?: ReactNode; action?: ReactNode }) {
  return (
    <div className="mx-auto max-w-[520px] px-6 py-14 text-center">
      <h2 className="mb-1 text-[15px] font-semibold">{title}</h2>
      <div className="mb-4 text-ink-2">{children}</div>
      {action}
    </div>
  );
}

/** What happened, why, and what to do. */
export function Trouble({ error, retry }: { error: unknown; retry?: () => void }) {
  if (!error) return null;
  const { title, detail, advice } = told(error);
  return (
    <div role="alert" className="my-2 rounded-md border border-clash bg-clash-wash px-4 py-3 text-left">
      <b className="font-semibold text-clash">{title}</b>
      <p className="break-words whitespace-pre-line">{detail}</p>
      {advice && <p className="text-ink-2">{advice}</p>}
      {retry && (
        <Button className="mt-2" onClick={retry}>
          Try again
        </Button>
      )}
    </div>
  );
}

function told(error: unknown): { title: string; detail: string; advice?: string } {
  if (error instanceof ProblemError) return error.problem;
  // A job's reason says what to do by itself.
  if (error instanceof JobError) return { title: error.title, detail: error.message };
  return { title: "Something failed in this page", detail: String(error), advice: "Load the page again." };
}

export function Field({
  label,
  error,
  hint,
  children,
}: {
  label: string;
  error?: string;
  hint?: ReactNode;
  children: (props: { id: string; "aria-invalid": boolean; "aria-describedby"?: string }) => ReactNode;
}) {
  const id = useId();
  return (
    <div className="mb-3">
      <label htmlFor={id} className="mb-1 block font-medium">
        {label}
      </label>
      {children({ id, "aria-invalid": !!error, "aria-describedby": error || hint ? `${id}-d` : undefined })}
      {(error || hint) && (
        <p id={`${id}-d`} className={`mt-1 ${error ? "text-clash" : "text-ink-3"}`}>
          {error ?? hint}
        </p>
      )}
    </div>
  );
}

/** Where an item stands, at the end of its row, in windows that have the room. */
export function WherePath({ path }: { path?: string }) {
  return <span className="ml-auto hidden max-w-[40%] shrink-0 truncate text-ink-3 min-[1600px]:inline">{path}</span>;
}

/** How full something is. */
export function Bar({
  part,
  whole,
  tone = "var(--ink-2)",
  label,
}: {
  part: number;
  whole: number;
  tone?: string;
  label: string;
}) {
  const share = whole ? (100 * part) / whole : 0;
  return (
    <span
      role="img"
      aria-label={label}
      className="inline-block h-[5px] w-16 overflow-hidden rounded-[3px] bg-hair-2 align-middle"
    >
      <i className="block h-full" style={{ width: `${share}%`, background: tone }} />
    </span>
  );
}

/** Behind the name of a field that can't be left empty. */
export const RequiredStar = () => (
  <span role="img" aria-label="required" className="font-bold text-clash">
    {" "}
    *
  </span>
);

export function Kbd({ children }: { children: ReactNode }) {
  return <kbd className="kbd">{children}</kbd>;
}

/** What can be done on a page, always in sight. Keys are named where there is room; `?` lists them everywhere. */
export function Foot({ keys, children }: { keys?: ReactNode; children?: ReactNode }) {
  return (
    <footer className="sticky bottom-0 z-20 mt-auto [@media(max-height:520px)]:static flex min-h-[52px] shrink-0 flex-wrap items-center gap-x-3.5 gap-y-1.5 border-t border-hair bg-paper px-5 py-2">
      <div className="hidden flex-wrap items-center gap-x-3 gap-y-1 text-ink-2 min-[1180px]:flex">{keys}</div>
      <div className="ml-auto flex min-w-0 flex-wrap items-center justify-end gap-x-3 gap-y-1.5">{children}</div>
    </footer>
  );
}
