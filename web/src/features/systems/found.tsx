// What a survey found in a project: counts, what changed, and each kind by its fields, items and shape.
import { Tabs } from "radix-ui";
import type { ReactNode } from "react";
import { useSearchParams } from "react-router";
import type { Schemas } from "@/api/client";
import { bytes, percent } from "@/lib/format";
import { count, kindWord, notRead } from "@/lib/words";
import { Pill, Pills } from "@/ui/pills";

import { Fields } from "./fields";
import { Items } from "./items";
import { People } from "./people";
import { Shape } from "./shape";
import { Tree } from "./tree";
import { Uncovered } from "./uncovered";
import { Uses } from "./uses";
import { useUses } from "./use-uses";

export function Found({ system, survey }: { system: string; survey: Schemas["SurveyAnswer"] }) {
  const [query, setQuery] = useSearchParams();
  const kinds = survey.catalogue.kinds;
  const uses = useUses(system, survey.container, survey.at).data ?? [];
  const kind =
    query.get("kind") ??
    (kinds.find((k) => k.kind === "test_case") ?? kinds.find((k) => k.kind !== "folder"))?.kind ??
    kinds[0]?.kind ??
    "test_case";
  const view = query.get("find") != null || query.get("field") ? "items" : (query.get("view") ?? "fields");
  // People and folders are of the whole project, whatever kind was looked at.
  const whole = view === "people" || view === "tree";
  const schema = kinds.find((k) => k.kind === kind);
  const { coverage } = survey.survey;
  const found = survey.survey.kinds.find((k) => k.kind === kind);
  const show = (more: Record<string, string>) => setQuery({ container: survey.container, kind, ...more });
  return (
    <>
      <dl className="mb-4 flex flex-wrap gap-x-8 gap-y-2 rounded-lg border border-hair bg-sheet px-5 py-3">
        {survey.survey.kinds.map((k) => (
          <Figure
            key={k.kind}
            of={kinds.find((s) => s.kind === k.kind)?.name ?? kindWord[k.kind] ?? k.kind}
            says={k.count.toLocaleString("en")}
            open={() => setQuery({ container: survey.container, kind: k.kind, view: "items" })}
          />
        ))}
        <Figure
          of="People"
          says={survey.catalogue.users.length.toLocaleString("en")}
          open={() => show({ view: "people" })}
        />
        {coverage && (
          <Figure
            of="Requirements with a test case"
            says={percent(coverage.covered, coverage.total)}
            open={() => setQuery({ container: survey.container, kind: "requirement", view: "coverage" })}
          >
            {coverage.covered} of {coverage.total}
          </Figure>
        )}
        {!!survey.survey.dangling_count && (
          <Figure
            bad
            of="Broken links"
            says={survey.survey.dangling_count.toLocaleString("en")}
            open={() =>
              setQuery({
                container: survey.container,
                kind: survey.survey.dangling?.[0]?.kind ?? kind,
                view: "shape",
              })
            }
          />
        )}
      </dl>
      <Told title="Changed since the last survey" lines={survey.survey.drift} />
      <Told title="What is not read here" lines={survey.catalogue.findings?.map(notRead)} />
      <Uses uses={uses} />
      <Tabs.Root
        value={whole ? view : kind}
        onValueChange={(chosen) =>
          chosen === "people" || chosen === "tree"
            ? show({ view: chosen })
            : setQuery({ container: survey.container, kind: chosen, view: whole ? "fields" : view })
        }
      >
        <Tabs.List aria-label="Kinds" className="flex flex-wrap gap-x-4 border-b border-hair">
          {kinds.map((k) => (
            <Tabs.Trigger key={k.kind} value={k.kind} className={TAB}>
              {k.name}
            </Tabs.Trigger>
          ))}
          <span aria-hidden className="my-1.5 border-l border-ink-3" />
          <Tabs.Trigger value="people" className={TAB}>
            People
          </Tabs.Trigger>
          <Tabs.Trigger value="tree" className={TAB}>
            Folders of the project
          </Tabs.Trigger>
        </Tabs.List>
        <Tabs.Content value={whole ? view : kind} tabIndex={-1}>
          {!whole && (
            <div className="my-3 flex flex-wrap items-center gap-2">
              <Pills label="What to see of it">
                <Pill on={view === "fields"} onClick={() => show({ view: "fields" })}>
                  Fields and values
                </Pill>
                <Pill on={view === "items"} onClick={() => show({ view: "items" })}>
                  Items
                </Pill>
                {coverage && kind === "requirement" && (
                  <Pill on={view === "coverage"} onClick={() => show({ view: "coverage" })}>
                    Without a test case
                  </Pill>
                )}
                <Pill on={view === "shape"} onClick={() => show({ view: "shape" })}>
                  Shape and markup
                </Pill>
              </Pills>
              {found && found.attachments > 0 && (
                <button
                  type="button"
                  className="ml-3 text-ink-2 underline decoration-hair underline-offset-3"
                  onClick={() => show({ view: "items", holds: "files" })}
                >
                  {count(found.attachments, "file")}, {bytes(found.attachment_bytes)}, the largest{" "}
                  {bytes(found.largest_attachment)}
                </button>
              )}
              {found && found.with_read_losses > 0 && (
                <button
                  type="button"
                  className="ml-3 text-loss underline decoration-hair underline-offset-3"
                  onClick={() => show({ view: "items", holds: "read_losses" })}
                >
                  {count(found.with_read_losses, "item")} with text not read exactly
                </button>
              )}
            </div>
          )}
          {whole && <div className="h-3" />}
          {view === "fields" && schema && (
            <Fields
              schema={schema}
              survey={found}
              users={survey.catalogue.users}
              uses={uses}
              open={(field, value) => show({ field, value })}
            />
          )}
          {view === "items" && (
            <Items
              system={system}
              container={survey.container}
              kind={kind as Schemas["Kind"]}
              schema={schema}
              users={survey.catalogue.users}
            />
          )}
          {view === "coverage" && coverage && (
            <Uncovered coverage={coverage} system={system} container={survey.container} />
          )}
          {view === "shape" && (
            <Shape system={system} container={survey.container} kind={kind} survey={survey.survey} />
          )}
          {view === "people" && <People catalogue={survey.catalogue} survey={survey.survey} />}
          {view === "tree" && (
            <Tree
              system={system}
              container={survey.container}
              open={(path) => setQuery({ container: survey.container, kind: "test_case", find: path })}
            />
          )}
        </Tabs.Content>
      </Tabs.Root>
    </>
  );
}

const TAB =
  "border-b-2 border-transparent px-1 py-1.5 text-ink-2 data-[state=active]:border-ink data-[state=active]:font-semibold data-[state=active]:text-ink";

/** What is worth knowing of a survey, where there is any. */
function Told({ title, lines }: { title: string; lines?: string[] }) {
  if (!lines?.length) return null;
  return (
    <div role="note" className="mb-4 rounded-lg border border-hair bg-wash px-5 py-3">
      <b className="font-semibold">{title}</b>
      <ul className="text-ink-2">
        {lines.map((line) => (
          <li key={line}>{line}</li>
        ))}
      </ul>
    </div>
  );
}

type FigureProps = { of: string; says: string; open: () => void; bad?: boolean; children?: ReactNode };

/** A figure that opens what it counts. */
function Figure({ of, says, open, bad, children }: FigureProps) {
  return (
    <div>
      <dt className="text-ink-3">{of}</dt>
      <dd className={bad ? "text-clash" : undefined}>
        <button type="button" className="text-[18px] font-semibold hover:underline" onClick={open}>
          {says}
        </button>
        {children && <span className="text-ink-3"> {children}</span>}
      </dd>
    </div>
  );
}
