// The rest of the project out of the old system to the tracker, and where its links lead afterwards: what one
// route carried is found by the other. Then what the new system shows of runs, attempts, files and pictures.
import { accessible, expect, oldstone, tallybench, test } from "./support";
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
  await page.getByLabel("Left system").selectOption("Oldstone");
  await page.getByLabel("Right system").selectOption("Fernway");
  await page.getByLabel("Name").fill("Requirements and defects to the tracker");
  await page.getByRole("checkbox", { name: /^Test case/ }).uncheck();
  await page.getByRole("button", { name: "Make the route" }).click();
  await page.getByRole("link", { name: /Rules/ }).click();

  // A state that is reached only with a field filled: the check says which, and a rule fills it.
  await expect(page.getByText("to settle before a dry run")).toBeVisible();
  await page.keyboard.press("s");
  await page.screenshot({ path: "/tmp/shots/tracker-rules.png" });
  await expect(page.getByRole("complementary", { name: "Rule" }).getByText(/asks for the field/)).toBeVisible();
  await page.getByRole("row", { name: /nothing feeds it.*Cure/ }).click();
  await page.getByLabel("Source of Cure").selectOption("a constant value");
  await page.getByLabel("Value", { exact: true }).fill("See the old system");
  await expect(page.getByText("every rule is valid")).toBeVisible();
  await accessible(page, "rules of defects");
  await page.getByRole("button", { name: "Dry run", exact: true }).click();
  await expect(page.getByRole("list", { name: "Changes" }).getByRole("listitem")).not.toHaveCount(0);
  await page.screenshot({ path: "/tmp/shots/tracker-dry.png" });
  await page.getByRole("button", { name: /^Transfer \d+ changes/ }).click();
  await expect(page.getByRole("heading", { name: "Done" })).toBeVisible({ timeout: 120_000 });
  await page.getByRole("button", { name: "Prove it" }).click();
  await page.getByRole("button", { name: "Prove it" }).click();
  await expect(page.getByRole("button", { name: "Prove it again" })).toBeVisible();
  await page.screenshot({ path: "/tmp/shots/tracker-proof.png" });

  // The test cases were carried before: their links led back to the old system, and now lead to the tracker.
  await openRoute(page, "Lift control moves");
  await page.getByRole("button", { name: "Dry run again" }).click();
  const updates = page.getByRole("button", { name: /^Update right \d+$/ });
  await expect(updates).toBeVisible();
  await updates.click();
  await page.getByRole("list", { name: "Changes" }).getByRole("listitem").first().click();
  await page.screenshot({ path: "/tmp/shots/tracker-moved.png" });
  await page.getByRole("button", { name: /^Transfer \d+ changes/ }).click();
  await expect(page.getByRole("heading", { name: "Done" })).toBeVisible({ timeout: 120_000 });

  // In the new system: from a case to its requirement in the tracker.
  const there = await page.context().newPage();
  await there.goto(`${tallybench}/?find=Oldstone:OS-2002`);
  await there.getByRole("link", { name: /^TB-/ }).click();
  await there.screenshot({ path: "/tmp/shots/tracker-case.png", fullPage: true });
  await there
    .getByRole("link", { name: /fernway|\/items\// })
    .first()
    .click();
  await expect(there.getByRole("heading", { name: /Need/ })).toBeVisible();
  await there.screenshot({ path: "/tmp/shots/tracker-need.png", fullPage: true });
});
