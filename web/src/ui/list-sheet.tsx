// A sheet that lists what a count stands for: page by page, found by words.
import type { QueryKey } from "@tanstack/react-query";
import { useState, type ReactNode } from "react";
import { usePages } from "@/lib/use-pages";
import { Loading, Trouble } from "./basics";
import { Sheet } from "./dialog";
import { FindBox } from "./find-box";
import { VirtualList } from "./virtual-list";

type Page<T, A> = { items: T[]; total: number; next?: A | null };

type Props<T, A> = {
  title: string;
  open: boolean;
  onOpenChange: (open: boolean) => void;
  /** What tells this list from others; the words that are looked for are added. */
  queryKey: (find: string) => QueryKey;
  page: (find: string, after: A | undefined) => Promise<Page<T, A>>;
  keyOf: (item: T) => string;
  row: (item: T) => ReactNode;
  /** Said above the list, when it is known how many there are in all. */
  note?: (total: number) => ReactNode;
};

/** A count within a sentence that opens the list of what it counts. */
export function Opens({ onClick, children }: { onClick: () => void; children: ReactNode }) {
  return (
    <button
      type="button"
      aria-haspopup="dialog"
      className="underline decoration-hair hover:decoration-ink"
      onClick={onClick}
    >
      {children}
    </button>
  );
}

export function ListSheet<T, A>(props: Props<T, A>) {
  return (
    <Sheet title={props.title} open={props.open} onOpenChange={props.onOpenChange} wide>
      <Inside {...props} />
    </Sheet>
  );
}

function Inside<T, A>({ title, queryKey, page, keyOf, row, note }: Props<T, A>) {
  const [find, setFind] = useState("");
  const { items, first, isPending, error, more } = usePages<Page<T, A>>({
    queryKey: queryKey(find),
    page: (after) => page(find, after),
    keep: true,
  });
  const total = first?.total;
  return (
    <>
      <div className="mb-2 flex flex-wrap items-center gap-3">
        <FindBox label="Find" placeholder="Title or key" className="w-[220px]" value={find} onFind={setFind} />
        <span role="status" className="text-ink-2">
          {total !== undefined && `${total.toLocaleString("en")} listed`}
        </span>
      </div>
      {total !== undefined && !find && note?.(total)}
      {isPending && <Loading what="the list" />}
      <Trouble error={error} />
      {total === 0 && <p className="text-ink-2">{find ? "Nothing matches." : "There are none."}</p>}
      {items.length > 0 && (
        <VirtualList
          label={title}
          items={items}
          keyOf={keyOf}
          row={row}
          more={more}
          className="h-[50vh] border border-hair"
        />
      )}
    </>
  );
}
