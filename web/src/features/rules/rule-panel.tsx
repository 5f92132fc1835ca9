// One rule, opened: where its value comes from, how it is converted, its value map, what is wrong.
import { useQuery } from "@tanstack/react-query";
import { useMemo, type ReactNode } from "react";
import { api, take, type Schemas } from "@/api/client";
import { keys } from "@/api/keys";
import { count, lossWord } from "@/lib/words";
import { Button } from "@/ui/basics";
import { Disc } from "@/ui/disc";
import { Select } from "@/ui/select";
import type { Lane, Route } from "../route/draft";
import { useNames, type endOf } from "../route/use-schema";
import {
  PARENT,
  ruleFrom,
  ruleWords,
  sourceField,
  sourceWords,
  specials,
  targetWord,
  valueMapOf,
  withValueMap,
  type Rule,
  type Special,
} from "./rule-words";
import { Chain } from "./chain";
import { LinkTypesEditor } from "./link-types";
import { Computed, computedOf } from "./computed";
import { PasteMap } from "./paste-map";
import { PeopleTable } from "./people-table";
import { useSuggestions } from "./suggestions";
import { beforeTable, useMet } from "./use-met";
import { ValueMapEditor } from "./value-map";

type End = ReturnType<typeof endOf>;
type Props = {
  route: Route;
  lane: Lane;
  target: string;
  schema?: Schemas["FieldSchema"];
  rule?: Rule;
  left: End;
  right: End;
  faults: Schemas["Fault"][];
  setRule: (r: Rule | undefined) => void;
  /** What the rule makes of the item that is tried, and which item that is. */
  result?: Schemas["PreviewValue"];
  of?: string;
};

function Part({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className="border-t border-hair-2 px-4 py-3 first:border-0">
      <h2 className="mb-1.5 font-semibold">{title}</h2>
      {children}
    </section>
  );
}

const constantOf = (rule?: Rule): Schemas["Value"] | undefined =>
  rule && typeof rule.source === "object" && "constant" in rule.source ? rule.source.constant : undefined;

/** What the rule makes of one item, and why something of it is lost. */
function Result({ value, of }: { value: Schemas["PreviewValue"]; of: string }) {
  return (
    <Part title={`Result for ${of}`}>
      <dl className="grid grid-cols-[70px_minmax(0,1fr)] gap-x-2 gap-y-1">
        <dt className="text-ink-3">from</dt>
        <dd className="line-clamp-3 break-words">{value.from || <span className="text-ink-3">empty</span>}</dd>
        <dt className="text-ink-3">becomes</dt>
        <dd className={`line-clamp-3 break-words ${value.fault ? "text-clash" : ""}`}>
          {value.fault ?? (value.becomes || <span className="text-ink-3">empty</span>)}
        </dd>
      </dl>
      {value.losses.length > 0 && (
        <ul aria-label="Losses" className="mt-2 space-y-1">
          {value.losses.map((l, n) => (
            <li key={n} className="grid grid-cols-[20px_minmax(0,1fr)] break-words text-loss">
              <Disc shape="loss" label={lossWord[l.kind]} />
              <span>
                {l.why}
                {l.before && <span className="line-clamp-2 text-ink-2">original: {l.before}</span>}
              </span>
            </li>
          ))}
        </ul>
      )}
    </Part>
  );
}

export function RulePanel(p: Props) {
  const { target, schema, rule, left, right, setRule } = p;
  const to = targetWord(target, schema);
  const fromPath = rule?.source === "folder_path";
  const map = valueMapOf(rule);
  const source = rule && sourceField(rule);
  const sourceSchema = left.kind?.fields.find((f) => f.id === source);
  const met = useMet(p.route, p.lane, rule);
  const values = useMemo(() => met?.values.map((v) => v.value) ?? [], [met]);
  const direct = source !== undefined && beforeTable(rule)?.conversions?.length === 0;
  return (
    <>
      <Part title={`${right.name}: ${to}`}>
        {schema?.required && <p className="mb-1.5 text-ink-2">Required there.</p>}
        <SourceChoice {...p} to={to} />
        {rule && schema && (source || fromPath || computedOf(rule) !== undefined) && (
          <Chain
            rule={rule}
            schema={schema}
            fromPath={fromPath}
            users={right.users}
            people={(table, onChange) => (
              <PeopleTable
                route={p.route}
                lane={p.lane}
                rule={rule}
                table={table}
                leftName={left.name}
                rightName={right.name}
                users={right.users}
                onChange={onChange}
              />
            )}
            setRule={setRule}
          />
        )}
        {rule?.source === "links" && (
          <div className="mt-3">
            <LinkTypesEditor
              rule={rule}
              leftName={left.name}
              rightName={right.name}
              met={met?.values}
              kept={schema?.link_types ?? undefined}
              setRule={setRule}
            />
          </div>
        )}
        {rule && target === PARENT && <OneFolder route={p.route} rule={rule} setRule={setRule} />}
      </Part>
      {p.result && p.of && rule && <Result value={p.result} of={p.of} />}
      {p.faults.length > 0 && (
        <Part title="Problems">
          <ul className="space-y-2">
            {p.faults.map((f, n) => (
              <li key={n} className="text-clash first-letter:uppercase">
                {f.message}
                {f.item_count > 0 && (
                  <span className="mono block text-ink-2">
                    {count(f.item_count, "item")}: {f.items.slice(0, 6).join(", ")}
                    {f.item_count > 6 ? " …" : ""}
                  </span>
                )}
              </li>
            ))}
          </ul>
        </Part>
      )}
      {rule && map && (
        <ValueMapEditor
          own={(direct && sourceSchema?.allowed) || undefined}
          met={met}
          allowed={schema?.allowed ?? undefined}
          ways={right.ways?.find((w) => w.kind === p.lane.right_kind && w.field === target)?.ways}
          fieldWord={(field) => right.kind?.fields.find((f) => f.id === field)?.name ?? field}
          leftName={left.name}
          rightName={right.name}
          title={`${sourceSchema?.name ?? source ?? sourceWords(rule)} → ${to}`}
          map={map}
          returns={!!p.lane.direction && p.lane.direction !== "to_right"}
          onChange={(m) => setRule(withValueMap(rule, m))}
        />
      )}
      {rule && map && (
        <PasteMap
          map={map}
          met={values}
          allowed={schema?.allowed ?? []}
          onChange={(m) => setRule(withValueMap(rule, m))}
        />
      )}
      <Suggested {...p} />
    </>
  );
}

/** What no expression makes. */
const notComputed: Schemas["ValueType"][] = ["steps", "table", "reference", "references", "user", "user_list"];

function SourceChoice({ route, lane, target, schema, rule, left, faults, setRule, to }: Props & { to: string }) {
  const names = useNames(route, "left", lane.left_kind);
  const constant = constantOf(rule);
  const computed = computedOf(rule);
  const now = !rule
    ? ""
    : typeof rule.source === "string"
      ? `=${rule.source}`
      : constant
        ? "=constant"
        : computed !== undefined
          ? "=computed"
          : `f:${sourceField(rule)}`;
  const choose = (choice: string) => {
    const base = { target, conversions: [], direction: "to_right" as const };
    if (!choice) return setRule(undefined);
    if (choice === "=constant") {
      if (target === PARENT) return setRule({ ...base, source: { constant: { type: "empty" } } });
      const value = schema?.allowed?.[0] ?? "";
      return setRule({
        ...base,
        source: { constant: schema?.value_type === "choice" ? { type: "choice", value } : { type: "text", value } },
      });
    }
    if (choice === "=computed") {
      // It begins with what was taken before.
      const name = names.data?.names.find((n) => n.field === (rule && sourceField(rule)))?.text;
      return setRule({ ...base, source: { computed: name ?? "" } });
    }
    if (choice.startsWith("=")) return setRule({ ...base, source: choice.slice(1) as Special });
    const field = left.kind?.fields.find((f) => f.id === choice.slice(2));
    const longest = left.survey?.fields.find((f) => f.field === field?.id)?.longest ?? 0;
    setRule(field && schema ? ruleFrom(schema, field, longest) : { ...base, source: { field: choice.slice(2) } });
  };
  return (
    <>
      <label className="grid grid-cols-[92px_1fr] items-center">
        <span className="text-ink-2">Source</span>
        <Select
          className="field w-full"
          aria-label={`Source of ${to}`}
          value={now}
          onChange={(chosen) => choose(chosen)}
        >
          <option value="">nothing</option>
          {specials(target, schema).map(([special, words]) => (
            <option key={special} value={`=${special}`}>
              {words}
            </option>
          ))}
          {target === PARENT && <option value="=constant">one folder for all</option>}
          {!target.startsWith("@") && (
            <>
              {(schema?.value_type === "text" || schema?.value_type === "choice") && (
                <option value="=constant">a constant value</option>
              )}
              {schema && !notComputed.includes(schema.value_type) && (
                <option value="=computed">computed, or several fields joined</option>
              )}
              {now.startsWith("f:") && !left.kind?.fields.some((f) => `f:${f.id}` === now) && (
                <option value={now}>{now.slice(2)} (not there)</option>
              )}
              {left.kind?.fields
                .filter((f) => !f.id.startsWith("@"))
                .map((f) => (
                  <option key={f.id} value={`f:${f.id}`}>
                    {f.name}
                  </option>
                ))}
            </>
          )}
        </Select>
      </label>
      {rule && computed !== undefined && (
        <Computed route={route} lane={lane} rule={rule} to={to} faults={faults} setRule={setRule} />
      )}
      {rule && constant && target !== PARENT && (
        <label className="mt-2 grid grid-cols-[92px_1fr] items-center">
          <span className="text-ink-2">Value</span>
          {schema?.allowed ? (
            <Select
              aria-label="Value"
              className="field w-full"
              value={String((constant as { value: string }).value)}
              onChange={(chosen) => setRule({ ...rule, source: { constant: { type: "choice", value: chosen } } })}
            >
              {schema.allowed.map((a) => (
                <option key={a}>{a}</option>
              ))}
            </Select>
          ) : (
            <input
              className="field w-full"
              value={String((constant as { value: string }).value)}
              onChange={(e) => setRule({ ...rule, source: { constant: { type: "text", value: e.target.value } } })}
            />
          )}
        </label>
      )}
    </>
  );
}

/** The folder at the right that takes every item. */
function OneFolder({ route, rule, setRule }: { route: Route; rule: Rule; setRule: (r: Rule) => void }) {
  const constant = constantOf(rule);
  const { system, container } = route.right;
  const folders = useQuery({
    queryKey: keys.folders(system, container, route.right.surveyed_at),
    queryFn: () =>
      take(api.GET("/systems/{id}/containers/{container}/folders", { params: { path: { id: system, container } } })),
    enabled: !!constant,
  });
  if (!constant) return null;
  const now = constant.type === "reference" && "known" in constant.value ? constant.value.known : "";
  return (
    <label className="mt-2 grid grid-cols-[92px_1fr] items-center">
      <span className="text-ink-2">Folder</span>
      <Select
        aria-label="Folder"
        className="field w-full"
        value={now}
        onChange={(chosen) =>
          setRule({ ...rule, source: { constant: { type: "reference", value: { known: chosen } } } })
        }
      >
        <option value="" disabled>
          choose…
        </option>
        {folders.data?.map((f) => (
          <option key={f.id} value={f.id}>
            {f.path.join(" / ") || f.title}
          </option>
        ))}
      </Select>
    </label>
  );
}

/** What Hovrel would propose, with its evidence. */
function Suggested({ route, lane, target, rule, left, setRule }: Props) {
  const suggestions = useSuggestions(route, lane);
  const found = suggestions.data?.find((s) => s.rule.target === target);
  if (!found) return null;
  const same = rule && JSON.stringify(rule.source) === JSON.stringify(found.rule.source);
  const source = sourceField(found.rule);
  return (
    <Part title={`${same ? "Why this source" : "Suggested"} · ${found.score}%`}>
      <ul className="text-ink-2">
        {found.evidence.map((e) => (
          <li key={e}>{e}</li>
        ))}
      </ul>
      {!same && (
        <Button className="mt-2" onClick={() => setRule(found.rule)}>
          Fill it from {left.kind?.fields.find((f) => f.id === source)?.name ?? ruleWords(found.rule)}
        </Button>
      )}
    </Part>
  );
}
