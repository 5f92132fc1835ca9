// One of several, chosen from a list: unfolded while it is short, searched when it is long. Takes <option> elements.
import { Check, ChevronDown } from "lucide-react";
import { Select as Radix } from "radix-ui";
import {
  Children,
  Fragment,
  isValidElement,
  useEffect,
  useRef,
  useState,
  type ReactElement,
  type ReactNode,
} from "react";
import { Pick, PickItem, PickNote } from "./pick";

/** A longer list is searched, not unfolded. */
export const UNFOLDED = 60;

/** Options that are shown of those found. */
export const SHOWN = 100;

export type Option = { value: string; words: string; disabled: boolean };

type OptionProps = { value?: string | number; disabled?: boolean; children?: ReactNode };

const wordsOf = (node: ReactNode): string =>
  Children.toArray(node)
    .map((part) => (typeof part === "string" || typeof part === "number" ? String(part) : ""))
    .join("");

/** What <option> elements say, wherever they stand in fragments. An option without a value is its words. */
export function optionsOf(children: ReactNode): Option[] {
  return Children.toArray(children).flatMap((child) => {
    if (!isValidElement(child)) return [];
    const { value, disabled, children: inside } = (child as ReactElement<OptionProps>).props;
    if (child.type === Fragment) return optionsOf(inside);
    const words = wordsOf(inside);
    return [{ value: value === undefined ? words : String(value), words, disabled: !!disabled }];
  });
}

type Props = {
  "aria-label"?: string;
  id?: string;
  value: string | number;
  onChange: (value: string) => void;
  className?: string;
  disabled?: boolean;
  /** Whether a choice is wanted and missing, or is not possible any more. */
  "aria-invalid"?: boolean;
  "aria-describedby"?: string;
  children: ReactNode;
};

export function Select({ children, value, className = "field", ...rest }: Props) {
  const options = optionsOf(children);
  const at = options.findIndex((o) => o.value === String(value));
  const look = `inline-flex min-w-0 items-center justify-between gap-1.5 text-left ${className}`;
  const List = options.length > UNFOLDED ? Searched : Unfolded;
  return <List {...rest} options={options} at={at} look={look} />;
}

type ListProps = Omit<Props, "children" | "value" | "className"> & { options: Option[]; at: number; look: string };

/**
 * The library hides the page from assistive technology while a list is unfolded, as if it were a dialog over it. It is
 * none: where one is stays known.
 */
function keepPageShown(): () => void {
  const show = () =>
    document
      .querySelectorAll("[data-aria-hidden][aria-hidden]")
      .forEach((hidden) => hidden.removeAttribute("aria-hidden"));
  const seen = new MutationObserver(show);
  seen.observe(document.body, { subtree: true, attributeFilter: ["aria-hidden"] });
  show();
  return () => seen.disconnect();
}

function Unfolded({ options, at, look, onChange, disabled, ...rest }: ListProps) {
  const [open, setOpen] = useState(false);
  const trigger = useRef<HTMLButtonElement>(null);
  const [inDialog, setInDialog] = useState(false);
  const unfold = (now: boolean) => {
    setInDialog(!!trigger.current?.closest('[role="dialog"], [role="alertdialog"]'));
    setOpen(now);
  };
  useEffect(() => (open && !inDialog ? keepPageShown() : undefined), [open, inDialog]);
  return (
    // Values are places in the list: the library takes no empty text for a value.
    <Radix.Root
      open={open}
      onOpenChange={unfold}
      value={String(at)}
      disabled={disabled}
      onValueChange={(n) => onChange(options[Number(n)]?.value ?? "")}
    >
      <Radix.Trigger
        ref={trigger}
        {...rest}
        className={look}
        onKeyDown={(e) => {
          // A letter unfolds the list, in which letters then choose.
          if (e.key.length !== 1 || e.key === " " || e.ctrlKey || e.metaKey || e.altKey) return;
          e.preventDefault();
          unfold(true);
        }}
      >
        <span className="truncate">
          <Radix.Value>{options[at]?.words ?? ""}</Radix.Value>
        </span>
        <ChevronDown size={13} aria-hidden className="shrink-0 text-ink-3" />
      </Radix.Trigger>
      {open && (
        // Within the page's landmark; over a dialog, which cuts off what is larger, beside it.
        <Radix.Portal container={inDialog ? undefined : document.getElementById("content")}>
          <Radix.Content
            position="popper"
            sideOffset={3}
            collisionPadding={12}
            className="z-[60] max-h-[min(340px,var(--radix-select-content-available-height))] max-w-[min(460px,calc(100vw-24px))] min-w-(--radix-select-trigger-width) overflow-auto rounded-lg border border-hair bg-sheet p-1 text-ink shadow-lg"
          >
            <Radix.Viewport style={{ overflow: "visible" }}>
              {options.map((o, n) => (
                <Radix.Item
                  key={n}
                  value={String(n)}
                  disabled={o.disabled}
                  className="flex cursor-pointer items-baseline gap-1.5 rounded px-1.5 py-1 outline-none data-disabled:text-ink-3 data-highlighted:bg-wash data-highlighted:shadow-[inset_2px_0_0_var(--ink)]"
                >
                  <span className="w-3.5 shrink-0 self-center">
                    <Radix.ItemIndicator>
                      <Check size={13} aria-hidden />
                    </Radix.ItemIndicator>
                  </span>
                  <Radix.ItemText>{o.words}</Radix.ItemText>
                </Radix.Item>
              ))}
            </Radix.Viewport>
          </Radix.Content>
        </Radix.Portal>
      )}
    </Radix.Root>
  );
}

function Searched({ options, at, look, onChange, disabled, ...rest }: ListProps) {
  const [open, setOpen] = useState(false);
  const [typed, setTyped] = useState("");
  const wanted = typed.trim().toLowerCase();
  const found = open
    ? options.map((o, n) => [n, o] as const).filter(([, o]) => o.words.toLowerCase().includes(wanted))
    : [];
  const label = rest["aria-label"] ?? "Choice";
  return (
    <Pick
      label={label}
      shown={options[at]?.words}
      invites="choose…"
      look={look}
      find={`Find in ${label}`}
      typed={typed}
      onType={setTyped}
      open={open}
      onOpenChange={(now) => setOpen(now && !disabled)}
    >
      {found.slice(0, SHOWN).map(([n, o]) => (
        <PickItem
          key={n}
          id={String(n)}
          picked={n === at}
          title={o.words}
          onPick={() => {
            if (o.disabled) return;
            onChange(o.value);
            setOpen(false);
            setTyped("");
          }}
        >
          <span className="truncate">{o.words}</span>
        </PickItem>
      ))}
      {found.length > SHOWN && (
        <PickNote>and {(found.length - SHOWN).toLocaleString("en")} more; type to find</PickNote>
      )}
      {found.length === 0 && <PickNote>Nothing matches.</PickNote>}
    </Pick>
  );
}
