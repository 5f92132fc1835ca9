// Takes the pictures of docs/screenshots from a demo that holds nothing yet: ./start --empty, and then
//   node web/e2e/pictures.mjs
// It walks the whole journey, since each view is worth a picture only in the middle of the work.
import { mkdirSync, readFileSync } from "node:fs";
import { chromium } from "@playwright/test";

const root = new URL("../..", import.meta.url).pathname;
const address = readFileSync(`${root}data/run/address`, "utf8");
const password = readFileSync(`${root}data/sign-in`, "utf8").trim().split(" ").at(-1);
const folder = `${root}docs/screenshots`;
mkdirSync(folder, { recursive: true });

const browser = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox", "--disable-gpu"] });
const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, reducedMotion: "reduce" });
page.setDefaultTimeout(900_000);
const button = (name) => page.getByRole("button", { name }).first();
const choose = async (select, words) => {
  await select.click();
  const list = page.locator("[role=listbox][data-state=open], [cmdk-list]");
  await list
    .getByRole("option", { name: new RegExp(`^${words}( \\(.*\\))?$`) })
    .first()
    .click();
};
const shot = async (name, theme = "light") => {
  await page.emulateMedia({ colorScheme: theme });
  await page.mouse.move(640, 799);
  await page.evaluate(() => document.fonts.ready);
  await page.waitForTimeout(400);
  await page.screenshot({ path: `${folder}/${name}.png` });
  await page.emulateMedia({ colorScheme: "light" });
};

await page.goto(address);
await page.getByLabel("Login").waitFor();
await page.getByLabel("Login").fill("admin");
await page.getByLabel("Password").fill(password);
await page.keyboard.press("Enter");
await page.getByRole("navigation", { name: "Main" }).waitFor();

for (const name of ["Oldstone", "Tallybench"]) {
  await page.goto(`${address}/systems/new`);
  await page.getByRole("radio", { name: new RegExp(`^${name}`) }).check({ force: true });
  await button(`Use the simulated ${name}`).click();
  await button("Check").click();
  await page.getByRole("list", { name: "Check" }).waitFor();
  if (name === "Oldstone") await shot("connect");
  await button("Save and open").click();
  await button("Survey this project").click();
  await button("Survey again").waitFor();
  if (name === "Oldstone") await shot("survey");
}

await page.goto(`${address}/routes/new`);
await choose(page.getByLabel("Left system"), "Oldstone");
await choose(page.getByLabel("Right system"), "Tallybench");
await page.getByLabel("Name", { exact: true }).fill("Lift control moves to the new tool");
await page.getByText("Lanes to begin with").waitFor();
await shot("new-route");
await button("Create the route").click();
await page.getByRole("navigation", { name: "Stops" }).waitFor();
const stop = (name) => page.getByRole("navigation", { name: "Stops" }).getByRole("link", { name });

await shot("ends");
await stop(/Scope/).click();
const left = page.getByRole("region", { name: "left scope" });
await left.getByRole("button", { name: "Add a condition" }).click();
await left.getByRole("button", { name: "Folder" }).click();
await page.getByRole("option", { name: /^Drive & brakes/ }).click();
await left.getByRole("button", { name: "Add a group" }).click();
const group = left.getByRole("group", { name: "Group of conditions" });
await choose(group.getByLabel("Field"), "Importance");
await choose(group.getByLabel("Comparison"), "is one of");
await group.getByRole("button", { name: "Values" }).click();
await page.getByRole("option").nth(0).click();
await page.getByRole("option").nth(2).click();
await page.keyboard.press("Escape");
await group.getByRole("button", { name: "Add a condition" }).click();
await choose(group.getByLabel("Field").nth(1), "Last change");
await choose(group.getByLabel("Comparison").nth(1), "in the last … days");
await group.getByLabel("Days").fill("400");
await shot("scope");
await left.getByRole("button", { name: "Text" }).click();
await left.getByRole("textbox", { name: "Conditions as text" }).click();
await page.keyboard.press("Control+End");
await page.keyboard.type(" && fields.labls == []");
await left.getByText("did you mean fields.labels?").waitFor();
await page.keyboard.press("Control+A");
await page.keyboard.press("Delete");
await left.getByRole("button", { name: "Rows" }).click();

await stop(/Rules/).click();
await page.getByText("to fix before a dry run").waitFor();
await shot("rules");
await choose(page.getByLabel("Middling or grave becomes"), "Normal");
await choose(page.getByLabel("empty becomes"), "Normal");
await button("Rule for Status: value map").click();
await choose(page.getByLabel("Draft becomes"), "active");
await choose(page.getByLabel("In review becomes"), "active");
await button(/^Result/).click();
await button("Rule for Outcome: value map").click();
await choose(page.getByLabel("Broken rig becomes"), "error");
await page.getByText("every rule is valid").waitFor();
await page.keyboard.press("Control+s");
await page.getByText("Saved as version").waitFor();
await button(/^Test case/).click();
await button(/^Rule for Component/).click();
await choose(page.getByLabel("Source of Component"), "computed, or several fields joined");
await page.getByRole("textbox", { name: "Expression for Component" }).click();
await page.keyboard.type('size(fields.labels) > 0 ? fields.labels[0] : "none"');
await page.keyboard.press("Escape");
await page.getByText("every rule is valid").waitFor();
await page.keyboard.press("Control+s");
await page.getByText("Saved as version 3").waitFor();
await page.getByRole("link", { name: /^Version \d/ }).click();
await page.getByText("Component: no rule").waitFor();
await page.getByText("Saved as version 3").waitFor({ state: "hidden" });
await shot("versions");
await stop(/Counterparts/).click();
await page.getByRole("region", { name: "Side by side" }).getByText("differ in").waitFor();
await shot("counterparts");
await stop(/Rules/).click();
await page.getByText("every rule is valid").waitFor();
await button(/^Dry run$/).click();

await page.getByRole("list", { name: "Changes" }).waitFor();
await button(/^All/).click();
await button(/^Already at both/).click();
await page.getByRole("list", { name: "Changes" }).getByText("OS-2013").click();
await page.getByText(/paired because of.*Announcements/).waitFor();
await shot("dry-run");
await shot("dry-run-dark", "dark");
await button(/^All/).click();
await page.getByLabel("Find changes").fill("OS-2002");
await page.getByRole("list", { name: "Changes" }).getByText("OS-2002").first().click();
await page.getByText("Unlock the desk").first().waitFor();
await shot("dry-run-steps");
await button(/^All/).click();
await button(/^Transfer \d+ changes…/).click();
await page.getByRole("heading", { name: /^Transfer \d+ changes from/ }).waitFor();
await shot("before-transfer");
await button(/^Transfer \d+ changes$/).click();
await page.waitForTimeout(25_000);
await shot("transfer");
await page.getByRole("heading", { name: "Done", exact: true }).waitFor();
await page.getByRole("region", { name: "What was done" }).scrollIntoViewIfNeeded();
await shot("receipt");
await page.getByRole("link", { name: "Go to the proof" }).click();
await page.getByRole("heading", { name: "No proof yet" }).waitFor();
await button("Run a proof").click();
await button("Run a proof again").waitFor();
await shot("proof");
await page.getByRole("link", { name: "Overview" }).click();
await page.getByText("Recent activity").waitFor();
await shot("overview");
await page.keyboard.press("Control+k");
await page.keyboard.type("OS-2002");
await page
  .getByRole("option", { name: /OS-2002 .*Test case/ })
  .first()
  .click();
await page.getByText("counterpart:").waitFor();
await shot("item");
await browser.close();
