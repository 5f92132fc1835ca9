// One rule, opened: where its value comes from, how it is converted, its value map, what is wrong.
import { useMemo } from "react";
import { kindAt, readEnd, writtenEnd } from "@/lib/lanes";
import { count } from "@/lib/words";
import { Chain } from "./chain";
import { computedOf } from "./computed";
import { LinkTypesEditor } from "./link-types";
import { OneFolder } from "./one-folder";
import { Part } from "./part";
import { PasteMap } from "./paste-map";
import { PeopleTable } from "./people-table";
import { Result } from "./result";
import type { RuleProps } from "./rule-props";
import { PARENT, sourceField, sourceWords, targetWord, valueMapOf, withValueMap } from "./rule-words";
import { SourceChoice } from "./source-choice";
import { Suggested } from "./suggested";
import { beforeTable, useMet } from "./use-met";
import { ValueMapEditor } from "./value-map";
import { WayBack } from "./way-back";

export function RulePanel(p: RuleProps) {
  const { target, schema, rule, setRule } = p;
  const filled = targetWord(target, schema);
  const sides = { from: p.from.name, to: p.to.name, read: readEnd(p.lane) };
  const fromPath = rule?.source === "folder_path";
  const map = valueMapOf(rule);
  const source = rule && sourceField(rule);
  const sourceSchema = p.from.kind?.fields.find((f) => f.id === source);
  const met = useMet(p.route, p.lane, rule);
  const values = useMemo(() => met?.values.map((v) => v.value) ?? [], [met]);
  const direct = source !== undefined && beforeTable(rule)?.conversions?.length === 0;
  return (
    <>
      <Part title={`${p.to.name}: ${filled}`}>
        {schema?.required && <p className="mb-1.5 text-ink-2">Required there.</p>}
        <SourceChoice {...p} filled={filled} />
        {rule && schema && (source || fromPath || computedOf(rule) !== undefined) && (
          <Chain
            rule={rule}
            schema={schema}
            fromPath={fromPath}
            users={p.to.users}
            people={(table, onChange) => (
              <PeopleTable
                route={p.route}
                lane={p.lane}
                rule={rule}
                table={table}
                sides={sides}
                users={p.to.users}
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
              sides={sides}
              met={met?.values}
              kept={schema?.link_types ?? undefined}
              setRule={setRule}
            />
          </div>
        )}
        {rule && target === PARENT && <OneFolder end={p.route[writtenEnd(p.lane)]} rule={rule} setRule={setRule} />}
      </Part>
      {p.result && p.of && rule && <Result value={p.result} of={p.of} />}
      {rule && <WayBack {...p} rule={rule} />}
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
          ways={p.to.ways?.find((w) => w.kind === kindAt(p.lane, writtenEnd(p.lane)) && w.field === target)?.ways}
          fieldWord={(field) => p.to.kind?.fields.find((f) => f.id === field)?.name ?? field}
          sides={sides}
          title={`${sourceSchema?.name ?? source ?? sourceWords(rule)} → ${filled}`}
          map={map}
          returns={p.lane.direction === "both" && p.back}
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
