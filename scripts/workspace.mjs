// Fills a new installation with the demo: the simulated systems connected, checked and surveyed, two routes with their
// rules settled and a dry run of each, and two that live both ways, with edits at both ends, ready to be looked at. One
// that holds a system already is left as it is.
// usage: node workspace.mjs ADDRESS SIGN-IN-FILE SYSTEMS-FILE
import { readFileSync } from "node:fs";

const [address, signInFile, systemsFile] = process.argv.slice(2);
const api = `${address}/api/v1`;
const [, login, password] = /^(\S+) with the password (.+)/.exec(readFileSync(signInFile, "utf8")) ?? [];
// Whoever made an administrator of their own fills the workspace by hand.
if (!login) process.exit(0);

let headers = { "content-type": "application/json" };

async function call(method, path, body, more = {}) {
  const answer = await fetch(api + path, {
    method,
    headers: { ...headers, ...more },
    body: body === undefined ? undefined : JSON.stringify(body),
  });
  const text = await answer.text();
  if (!answer.ok) throw Object.assign(new Error(`${method} ${path}: ${answer.status} ${text}`), { status: answer.status });
  return { value: text ? JSON.parse(text) : undefined, answer };
}
const get = async (path) => (await call("GET", path)).value;
const post = async (path, body) => (await call("POST", path, body)).value;

const say = (text) => console.log(`==> ${text}`);

async function finished(job) {
  for (;;) {
    const now = await get(`/jobs/${job.id}`);
    if (now.state === "done") return now;
    if (["failed", "stopped"].includes(now.state)) throw new Error(`${now.kind}: ${now.error ?? now.state}`);
    await new Promise((resume) => setTimeout(resume, 300));
  }
}

const signedIn = await call("POST", "/session", { login, password }).catch((refused) => {
  if (refused.status !== 401) throw refused;
  say("The sign-in kept in this folder is not one of this database: its workspace stays as it is");
  process.exit(0);
});
headers = {
  ...headers,
  cookie: signedIn.answer.headers
    .getSetCookie()
    .map((c) => c.split(";")[0])
    .join("; "),
  "x-hovrel-csrf": signedIn.value.csrf,
};
if ((await get("/systems")).length > 0) process.exit(0);

/** Connects a system, checks it and surveys its first project; the end of a route. */
async function end(known) {
  const { name, profile, address, sign_in } = known;
  const system = await post("/systems", { name, profile, address, sign_in });
  await post(`/systems/${system.id}/check`);
  const [container] = await get(`/systems/${system.id}/containers`);
  await finished(await post(`/systems/${system.id}/surveys`, { container: container.id }));
  return [name, { system: system.id, container: container.id }];
}

/** What a person would enter for values that nothing proposes, by field and value; "" is a field that is empty. */
const entered = {
  priority: { "": "Normal", "Middling or grave": "High" },
  status: { Draft: "active", "In review": "active" },
  outcome: { "Broken rig": "error" },
};

/** A route whose rules are settled; `scoped` says what its lanes cover. */
async function settledRoute(name, left, right, scoped = (lanes) => lanes) {
  const proposed = await post("/routes/proposal", { left, right });
  const lanes = scoped(proposed.map((p) => ({ ...p.lane, rules: p.suggestions.map((s) => s.rule) })));
  const made = await post("/routes", { name, left, right, lanes });
  for (const fault of await post(`/routes/${made.id}/checks`, { lanes })) {
    const fills = lanes.find((l) => l.id === fault.lane)?.rules.map((r) => r.into.right) ?? [];
    const map = fills.find((f) => f?.target === fault.field)?.conversions.find((c) => c.value_map)?.value_map;
    const left = fault.reason.value ?? "";
    const right = entered[fault.field]?.[left];
    if (map && right) map.rows.push({ left, right, returns: false });
  }
  await call("PUT", `/routes/${made.id}`, { name, lanes }, { "if-match": `"${made.version}"` });
  await call("PUT", `/routes/${made.id}/versions/${made.version + 1}/note`, {
    note: "Values that nothing proposes are entered by hand.",
  });
  const open = (await post(`/routes/${made.id}/checks`, { lanes })).filter((f) => f.blocks);
  if (open.length > 0) throw new Error(`${name}: ${open.map((f) => f.message).join("; ")}`);
  return { id: made.id, lanes };
}

const dryRun = async (route) => (await finished(await post(`/routes/${route}/dry-runs`))).result.plan;
const transfer = async (plan) => finished(await post(`/plans/${plan}/transfer`));

/** Edits as people make them, on the page of a system. */
const edit = (at, path, fields) =>
  fetch(`${at}${path}`, { method: "POST", body: new URLSearchParams(fields), redirect: "manual" });
const shown = async (at, path) => (await fetch(`${at}${path}`)).text();

/** The cases of one folder are kept in step both ways; the others move, by a route of their own. */
const LIVING = "Passenger information";
const cases = (op) => (lanes) =>
  lanes.map((lane) => {
    if (lane.left_kind !== "test_case") return lane;
    const condition = { row: { field: "@folder", op, value: LIVING } };
    return { ...lane, left_scope: condition, right_scope: condition };
  });

/** What of a defect runs both ways: five fields, and what hangs on it. */
const bothWays = ["title", "importance", "state", "cure", "reason"];
const hanging = ["comments", "attachments", "links"];

/** What a severity becomes at Fernway, and goes back to. */
const severities = [
  ["Stops the line", "Vital"],
  ["Annoys", "Useful"],
  ["Cosmetic", "Small"],
].map(([left, right]) => ({ left, right, returns: true }));

/** A route whose defects are edited at both ends: carried once, then edited so that every verdict is met. */
async function livingRoute(name, left, right, at) {
  const [found] = (await post("/routes/proposal", { left, right })).filter((p) => p.lane.left_kind === "defect");
  const rules = found.suggestions.map(({ rule }) => ({
    ...rule,
    back: bothWays.includes(rule.id) || hanging.includes(rule.into.right?.source),
  }));
  const map = rules.find((r) => r.id === "importance").into.right.conversions.find((c) => c.value_map).value_map;
  map.rows = severities;
  const lane = { ...found.lane, name: "", direction: "both", rules };
  const made = await post("/routes", { name, left, right, lanes: [lane] });
  await transfer(await dryRun(made.id));

  const pages = {};
  for (const [, uid] of (await shown(at.Fernway, "/")).matchAll(/href="\/item\/([^"]+)"/g)) {
    const mark = /Oldstone:(DF-\d+)/.exec(await shown(at.Fernway, `/item/${uid}`));
    if (mark) pages[mark[1]] = `/item/${uid}`;
  }
  const [toRight, toLeft, clash, equal, apart] = Object.keys(pages).sort();
  const old = (key, fields) => edit(at.Oldstone, `/records/defect/${key}`, fields);
  const there = (key, fields) => edit(at.Fernway, pages[key], fields);
  await old(toRight, { name: "Line stops late when the harbour gate is held open" });
  await there(toLeft, {
    title: "Deputy's desk stops the line a second too late",
    reason: "Seen on the new desk only",
    remark: "The old desk stops it at once.",
  });
  await old(clash, { name: "Wind above limit at tower 4 is reported twice" });
  await there(clash, { title: "Wind above limit at tower 4 is reported late", importance: "Vital" });
  await old(equal, { name: "Fog at Summit: the line slows too late" });
  await there(equal, { title: "Fog at Summit: the line slows too late" });
  // One more field at the right, and one title that both edit, in different parts of it.
  const [, title] = /name="?title"?[^>]* value="([^"&]*)"/.exec(await shown(at.Fernway, pages[apart]));
  await old(apart, { name: `${title}, twice in a row` });
  await there(apart, {
    title: `Again: ${title}`,
    cure: "The masked sensor is read as open from release 12 on.",
  });
  // And one that only the right has.
  const filed = await edit(at.Fernway, "/", { form: "trouble", title: "Gate stays open after the last cabin of the day" });
  await edit(at.Fernway, filed.headers.get("location"), { importance: "Useful" });
  await dryRun(made.id);
}

/** What of a case runs both ways: words, steps, the place, and what hangs on it. */
const wordsAndSteps = ["title", "preconditions", "steps", "@parent", "@position"];

/** A route whose cases are edited at both ends: carried once, then edited by step. */
async function livingCases(name, left, right, at) {
  const kinds = ["folder", "test_case"];
  // Both hold some of these cases already: what the left says of them counts at first, and likely matches wait for a person.
  const first = (lane) => ({
    ...lane,
    matching: { ...lane.matching, similar_from: 50 },
    policies: { ...lane.policies, first_contact: "left_wins" },
  });
  const of = (lanes) => cases("under")(lanes.filter((lane) => kinds.includes(lane.left_kind)).map(first));
  const { id, lanes } = await settledRoute(name, left, right, of);
  await transfer(await dryRun(id));
  const living = lanes.map((lane) => ({
    ...lane,
    direction: "both",
    rules: lane.rules.map((rule) => ({
      ...rule,
      back: wordsAndSteps.includes(rule.into.right?.target) || hanging.includes(rule.into.right?.source),
    })),
  }));
  const { version } = await get(`/routes/${id}`);
  await call("PUT", `/routes/${id}`, { name, lanes: living }, { "if-match": `"${version}"` });
  // What one way left behind is taken over before anybody edits.
  await transfer(await dryRun(id));

  const rows = (await shown(at.Tallybench, "/")).split("</tr>");
  const found = rows.map((row) => [/href="(\/view\/\d+)"/.exec(row)?.[1], /Oldstone:(OS-\d+)/.exec(row)?.[1]]);
  const [toRight, toLeft, apart, clash] = found
    .filter(([there, key]) => there && key)
    .map(([there, key]) => ({
      old: (fields) => edit(at.Oldstone, `/view/${key}`, fields),
      there: (fields) => edit(at.Tallybench, there, fields),
    }));
  await toRight.old({ action1: "<p>Call the display room and say which display is looked at</p>" });
  await toLeft.there({ expected1: "The text stands there within **two** seconds" });
  await apart.old({ expected1: "<p>Both displays show it</p>" });
  await apart.there({ action2: "Press *repeat* and listen at both doors" });
  await clash.old({ action1: "<p>Switch the display to night colours</p>" });
  await clash.there({ action1: "Dim the display by hand" });
  await dryRun(id);
}

const began = Date.now();
const known = JSON.parse(readFileSync(systemsFile, "utf8"));
say("Filling the workspace: connecting and surveying the systems");
const ends = Object.fromEntries(await Promise.all(known.map(end)));
say("Filling the workspace: four routes, and a dry run of each");
const at = Object.fromEntries(known.map((k) => [k.name, k.address]));
// The folders that both routes carry are made by the first of them.
await livingCases("Passenger information, both ways", ends.Oldstone, ends.Tallybench, at);
for (const [name, left, right, scoped] of [
  ["Lift control moves", ends.Oldstone, ends.Tallybench, cases("not_under")],
  ["Safety requirements to the tracker", ends.Cairnbook, ends.Fernway],
])
  await dryRun((await settledRoute(name, left, right, scoped)).id);
await livingRoute("Defects, both ways", ends.Oldstone, ends.Fernway, at);
say(`The workspace took ${Math.round((Date.now() - began) / 1000)} s`);
