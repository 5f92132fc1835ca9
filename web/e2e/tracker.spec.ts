// The rest of the project out of the old system to the tracker, and where its links lead afterwards: what one
// route carried is found by the other. Then what the new system shows of runs, attempts, files and pictures.
import { accessible, choose, expect, oldstone, prove, tallybench, test, transfer } from "./support";
import type { Page } from "@playwright/test";

const password = "a long enough password";

async function openRoute(page: Page, name: string) {
  await page.getByRole("link", { name: "Routes" }).click();
  await page.getByRole("link", { name }).click();
  await page.getByRole("link", { name: /Dry run/ }).click();
}

test("requirements and defects go to the tracker, and links follow them", async ({ page }) => {
  await page.goto("/");
  await page.getByLabel("Login").fill("ida");
  await page.getByLabel("Password").fill(password);
  await page.getByRole("button", { name: "Sign in" }).click();
  await expect(page.getByRole("navigation", { name: "Main" })).toBeVisible();

  await page.goto("/routes/new");
  await choose(page, page.getByLabel("Left system"), "Oldstone");
  await choose(page, page.getByLabel("Right system"), "Fernway");
  await page.getByLabel("Name", { exact: true }).fill("Requirements and defects to the tracker");
  await page.getByRole("checkbox", { name: /^Test case/ }).uncheck();
  await page.getByRole("button", { name: "Create the route" }).click();
  await page.getByRole("link", { name: /Rules/ }).click();

  await expect(page.getByText("1 rule problem to fix before a dry run")).toBeVisible();
  // The tracker takes no history; and whoever looks into the old system later is to see where things went.
  await page.getByRole("button", { name: /^Requirement/ }).click();
  await expect(page.getByText("kept by Hovrel")).toBeVisible();
  await page.getByLabel("Link back to the counterpart").check();
  await page.keyboard.press("s");
  await choose(page, page.getByLabel("Annoys becomes"), "Useful");
  await expect(page.getByText("every rule is valid")).toBeVisible();
  await page.getByRole("button", { name: "Dry run", exact: true }).click();
  // A state that is reached only with a field filled waits: the dry run says which, and a rule fills it.
  await page.getByRole("button", { name: /^Can.t be transferred 1$/ }).click();
  await expect(page.getByText(/asks for the field/).first()).toBeVisible();
  await page.getByRole("link", { name: /Rules/ }).click();
  await page.getByRole("button", { name: /^Defect/ }).click();
  await page.getByRole("row", { name: /^Remedy/ }).click();
  await choose(page, page.getByLabel("How"), "text if empty");
  await page.getByLabel("Text", { exact: true }).fill("See the old system");
  await expect(page.getByText("every rule is valid")).toBeVisible();
  await accessible(page, "rules of defects");
  await page.getByRole("button", { name: "Dry run", exact: true }).click();
  await expect(page.getByRole("button", { name: /^Can.t be transferred/ })).toBeHidden();
  await expect(page.getByRole("list", { name: "Changes" }).getByRole("listitem")).not.toHaveCount(0);
  await expect(page.getByText(/^Oldstone gets \d\d links/)).toBeVisible();
  await transfer(page);
  await prove(page);

  // What was made is found, with the past that Hovrel keeps; the old system leads to it.
  await expect(async () => {
    await page.keyboard.press("Control+k");
    await page.getByRole("combobox").fill("Emergency stop: every stop is recorded");
    await page.getByRole("option", { name: /^ROPE-/ }).click({ timeout: 2000 });
  }).toPass();
  await expect(page.getByRole("heading", { name: /^History of RQ-3 in Oldstone, kept by Hovrel/ })).toBeVisible();
  await accessible(page, "item with a kept history");
  const origin = await page.context().newPage();
  await origin.goto(`${oldstone}/records/requirement/RQ-3`);
  await origin
    .getByRole("link", { name: /\/item\/i\d+$/ })
    .first()
    .click();
  await expect(origin.getByRole("heading", { name: /Need/ })).toBeVisible();
  await origin.close();

  // The test cases were carried before: their links led back to the old system, and now lead to the tracker.
  // A route that was made later is followed once somebody says so.
  await openRoute(page, "Lift control moves");
  await page.getByRole("link", { name: /^Ends/ }).click();
  await page.getByRole("checkbox", { name: "Links follow Requirements and defects to the tracker" }).click();
  await expect(page.getByText(/^Saved as version/)).toBeVisible();
  await page.getByRole("link", { name: /^Dry run/ }).click();
  await page.getByRole("button", { name: "Dry run again" }).click();
  const updates = page.getByRole("button", { name: /^Update right \d\d$/ });
  await updates.click();
  await page
    .getByRole("list", { name: "Changes" })
    .getByRole("button", { name: /^OS-2008/ })
    .click();
  await expect(page.getByText("it has moved").first()).toBeVisible();
  await transfer(page);

  // In the new system: from a case to its requirement in the tracker; its picture seen and its file opened.
  const there = await page.context().newPage();
  await there.goto(`${tallybench}/?find=Oldstone:OS-2008`);
  await there.getByRole("link", { name: /^TB-/ }).click();
  await there
    .getByRole("link", { name: /\/item\// })
    .first()
    .click();
  await expect(there.getByRole("heading", { name: /Need/ })).toBeVisible();
  await there.goto(`${tallybench}/?find=Oldstone:OS-3008`);
  await there.getByRole("link", { name: /^TB-/ }).click();
  const picture = there.locator("img").first();
  await expect(picture).toBeVisible();
  expect(await picture.evaluate((img: HTMLImageElement) => img.naturalWidth)).toBeGreaterThan(0);
  const file = await there.getByRole("link", { name: "where to stand.png" }).getAttribute("href");
  const opened = await there.goto(new URL(file ?? "", tallybench).href);
  expect(opened?.headers()["content-type"]).toBe("image/png");

  // Attempts in their order; planned and not run is not the same as never planned.
  const executions = await table(there, "execution");
  const results = await table(there, "result");
  const attempts = (execution: string) =>
    results
      .filter((r) => r.Execution === execution)
      .sort((a, b) => Number(a.Attempt) - Number(b.Attempt))
      .map((r) => r.Outcome);
  const carried = executions.filter((e) => e["External reference"]?.startsWith("Oldstone:"));
  const reruns = carried.map((e) => attempts(String(e.number))).filter((a) => a.length > 1);
  expect(reruns.length).toBeGreaterThan(0);
  expect(reruns.some((a) => a[0] === "fail" && a.at(-1) === "pass")).toBe(true);
  expect(carried.filter((e) => attempts(String(e.number)).length === 0).length).toBeGreaterThan(0);
  await there.goto(`${tallybench}/?find=Oldstone:`);
  const cases = await there.getByRole("link", { name: /^TB-/ }).allTextContents();
  const planned = executions.map((e) => e.Case);
  expect(cases.filter((c) => !planned.includes(c.replace("TB-", ""))).length).toBeGreaterThan(0);
});

/** Every record of a kind as its system lists them, by the heads of the list. */
async function table(page: Page, kind: string): Promise<Record<string, string>[]> {
  await page.goto(`${tallybench}/records/${kind}`);
  return page.locator("table").evaluate((table: HTMLTableElement) => {
    const [heads, ...rows] = [...table.rows].map((row) => [...row.cells].map((cell) => cell.textContent ?? ""));
    return rows.map((row) => ({
      ...Object.fromEntries(row.map((cell, n) => [heads?.[n] ?? "", cell])),
      number: row[0]?.split("-").at(-1) ?? "",
    }));
  });
}
