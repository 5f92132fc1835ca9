// Requirements out of two systems into the tracker, by hand: what they say, what hangs on them, and what the
// tracker shows of it on its own page.
import { accessible, cairnbook, choose, expect, fernway, prove, test, transfer } from "./support";
import type { Page } from "@playwright/test";

const password = "a long enough password";

async function connect(page: Page, offer: string, name: string) {
  await page.goto("/systems/new");
  await page.getByRole("radio", { name: new RegExp(`^${offer}`) }).check({ force: true });
  await page.getByRole("button", { name: `Use the simulated ${name}` }).click();
  await page.getByRole("button", { name: "Check", exact: true }).click();
  await expect(page.getByRole("list", { name: "Check" }).getByRole("img", { name: /good|unknown/ })).toHaveCount(5);
  await page.getByRole("button", { name: "Save and open" }).click();
  await page.getByRole("button", { name: "Survey this project" }).click();
  await expect(page.getByRole("button", { name: "Survey again" })).toBeVisible();
}

test("requirements come from the requirements server to the tracker", async ({ page }) => {
  await page.goto("/");
  await page.getByLabel("Login").fill("ida");
  await page.getByLabel("Password").fill(password);
  await page.getByRole("button", { name: "Sign in" }).click();
  await expect(page.getByRole("navigation", { name: "Main" })).toBeVisible();
  await connect(page, "OSLC", "Cairnbook");
  await accessible(page, "survey of Cairnbook");
  await connect(page, "Fernway", "Fernway");

  await page.getByRole("link", { name: "Routes" }).click();
  await page.getByRole("link", { name: "Create a route" }).click();
  await choose(page, page.getByLabel("Left system"), "Cairnbook");
  await choose(page, page.getByLabel("Right system"), "Fernway");
  await page.getByLabel("Name", { exact: true }).fill("Safety requirements to the tracker");
  await expect(page.getByText("Lanes to begin with")).toBeVisible();
  await page.getByRole("button", { name: "Create the route" }).click();
  await page.getByRole("link", { name: /Rules/ }).click();
  await expect(page.getByText("every rule is valid")).toBeVisible();
  // What has no place there is said before anything runs.
  await expect(page.getByRole("row", { name: /^Folder not transferred/ })).toBeVisible();
  await accessible(page, "rules of requirements");
  await page.getByRole("button", { name: "Dry run", exact: true }).click();

  const changes = page.getByRole("list", { name: "Changes" });
  await expect(changes.getByRole("listitem")).not.toHaveCount(0);
  await page.getByLabel("Find changes").fill("latches");
  await expect(changes.getByRole("listitem")).toHaveCount(1);
  await changes.getByRole("listitem").first().click();
  const differences = page.getByRole("region", { name: "Differences" });
  await expect(differences.getByText("decomposes 402 The line stops").first()).toBeVisible();
  await expect(differences.getByText("still").first()).toBeVisible();
  await expect(differences.getByText("author and time can't be set there")).toBeVisible();
  await accessible(page, "differences with comments");
  await page.getByLabel("Find changes").fill("");
  await transfer(page);
  await prove(page);

  // The tracker's own page: the requirement with its label, its text, its parts and what was said.
  const tracker = await page.context().newPage();
  await tracker.goto(`${fernway}/?find=cairnbook:403`);
  await tracker.getByRole("link", { name: /^ROPE-/ }).click();
  await expect(tracker.getByRole("heading", { name: /Need/ })).toBeVisible();
  await expect(tracker.getByLabel("Title")).toHaveValue("The stop button latches until it is pulled");
  await expect(tracker.getByRole("row", { name: /^splits need/ })).toBeVisible();
  await expect(tracker.getByText("in Cairnbook:")).toBeVisible();
  // Found by what it says; its page knows what it became.
  await page.keyboard.press("Control+k");
  await page.keyboard.type("pressed stays");
  await page
    .getByRole("option", { name: /latches/ })
    .first()
    .click();
  await expect(page.getByRole("heading", { name: "The stop button latches until it is pulled" })).toBeVisible();
  await expect(page.getByText("counterpart:")).toBeVisible();
  await expect(page.getByText("New at right")).toBeVisible();
  await accessible(page, "an item");
  await page.goBack();
  // An edit in the requirements server is one change.
  await tracker.goto(`${cairnbook}/`);
  await tracker.getByRole("link", { name: "403", exact: true }).click();
  await tracker.getByLabel("Title").fill("The stop button latches");
  await tracker.getByRole("button", { name: "Save" }).click();
  await page.getByRole("link", { name: /Dry run/ }).click();
  await page.getByRole("button", { name: "Dry run again" }).click();
  await expect(page.getByRole("button", { name: /^Update right 1$/ })).toBeVisible();
});
