// Fills a new installation with the demo: the simulated systems connected, checked and surveyed, two routes with their
// rules settled and a dry run of each, and a third that lives both ways, with edits at both ends, ready to be looked at. One
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

async function route(name, left, right) {
  const proposed = await post("/routes/proposal", { left, right });
  const lanes = proposed.map((p) => ({ ...p.lane, rules: p.suggestions.map((s) => s.rule) }));
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
  await finished(await post(`/routes/${made.id}/dry-runs`));
}

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
  const dryRun = async () => (await finished(await post(`/routes/${made.id}/dry-runs`))).result.plan;
  await finished(await post(`/plans/${await dryRun()}/transfer`));

  // As people do it, on the pages of both systems.
  const edit = (system, path, fields) =>
    fetch(`${at[system]}${path}`, { method: "POST", body: new URLSearchParams(fields), redirect: "manual" });
  const shown = async (path) => (await fetch(`${at.Fernway}${path}`)).text();
  const pages = {};
  for (const [, uid] of (await shown("/")).matchAll(/href="\/item\/([^"]+)"/g)) {
    const mark = /Oldstone:(DF-\d+)/.exec(await shown(`/item/${uid}`));
    if (mark) pages[mark[1]] = `/item/${uid}`;
  }
  const [toRight, toLeft, clash, equal, apart] = Object.keys(pages).sort();
  const old = (key, fields) => edit("Oldstone", `/records/defect/${key}`, fields);
  const there = (key, fields) => edit("Fernway", pages[key], fields);
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
  const [, title] = /name="?title"?[^>]* value="([^"&]*)"/.exec(await shown(pages[apart]));
  await old(apart, { name: `${title}, twice in a row` });
  await there(apart, {
    title: `Again: ${title}`,
    cure: "The masked sensor is read as open from release 12 on.",
  });
  // And one that only the right has.
  const filed = await edit("Fernway", "/", { form: "trouble", title: "Gate stays open after the last cabin of the day" });
  await edit("Fernway", filed.headers.get("location"), { importance: "Useful" });
  await dryRun();
}

const began = Date.now();
const known = JSON.parse(readFileSync(systemsFile, "utf8"));
say("Filling the workspace: connecting and surveying the systems");
const ends = Object.fromEntries(await Promise.all(known.map(end)));
say("Filling the workspace: three routes, and a dry run of each");
await route("Lift control moves", ends.Oldstone, ends.Tallybench);
await route("Safety requirements to the tracker", ends.Cairnbook, ends.Fernway);
const at = Object.fromEntries(known.map((k) => [k.name, k.address]));
await livingRoute("Defects, both ways", ends.Oldstone, ends.Fernway, at);
say(`The workspace took ${Math.round((Date.now() - began) / 1000)} s`);
