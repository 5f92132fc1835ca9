// A list above and what is chosen in it below; the line between them is dragged, or moved by keys, and remembered.
import type { ReactNode } from "react";
import { Group, Panel, Separator, useDefaultLayout } from "react-resizable-panels";

type Props = { id: string; label: string; list: ReactNode; detail?: ReactNode };

/** Neither part gets smaller than this; a window that is lower scrolls. */
const LEAST = 120;

export function Split({ id, label, list, detail }: Props) {
  const kept = useDefaultLayout({ id: `split-${id}`, panelIds: ["list", "detail"] });
  if (!detail) return <div className="flex min-h-[240px] flex-1 flex-col">{list}</div>;
  return (
    <Group
      orientation="vertical"
      className="min-h-[300px] flex-1"
      defaultLayout={kept.defaultLayout}
      onLayoutChanged={kept.onLayoutChanged}
    >
      <Panel id="list" minSize={LEAST} defaultSize="52%" className="flex flex-col">
        {list}
      </Panel>
      <Separator
        aria-label={label}
        className="group relative h-[7px] shrink-0 border-y border-hair bg-wash outline-offset-[-1px]"
      >
        <i
          aria-hidden
          className="absolute top-[1px] left-1/2 h-[3px] w-9 -translate-x-1/2 rounded-full bg-ink-3 group-hover:bg-ink"
        />
      </Separator>
      <Panel id="detail" minSize={LEAST} className="flex flex-col">
        {detail}
      </Panel>
    </Group>
  );
}
