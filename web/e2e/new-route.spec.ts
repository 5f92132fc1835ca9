// From nothing to a clean dry run between two systems that nothing joined before, by what is suggested.
import { accessible, choose, expect, signedIn, test } from "./support";

test("a new route is ready for its transfer by what is suggested", async ({ page }) => {
  const began = Date.now();
  await signedIn(page);
  for (const name of ["Tallybench", "Oldstone"]) {
    await page.goto("/systems/new");
    await page.getByRole("radio", { name: new RegExp(`^${name}`) }).check({ force: true });
    await page.getByRole("button", { name: `Use the simulated ${name}` }).click();
    await page.getByRole("button", { name: "Check", exact: true }).click();
    await expect(page.getByRole("list", { name: "Check" })).toBeVisible();
    await page.getByRole("button", { name: "Save and open" }).click();
    await page.getByRole("button", { name: "Survey this project" }).click();
    await expect(page.getByRole("button", { name: "Survey again" })).toBeVisible();
  }
  await page.goto("/routes/new");
  await choose(page, page.getByLabel("Left system"), "Tallybench");
  await choose(page, page.getByLabel("Right system"), "Oldstone");
  await page.getByLabel("Name", { exact: true }).fill("Acceptance goes back");
  // Each lane says what its rules are proposed from.
  await page.getByText("17 of 17 rules").click();
  await expect(
    page
      .getByText(/pairs both hold the same/)
      .filter({ visible: true })
      .first(),
  ).toBeVisible();
  await accessible(page, "new route with its suggestions");
  await page.getByRole("button", { name: "Create the route" }).click();
  const stop = (name: RegExp) => page.getByRole("navigation", { name: "Stops" }).getByRole("link", { name });
  await stop(/Rules/).click();
  await expect(page.getByText("every rule is valid")).toBeVisible();

  // What is at both ends already is one where it is alike enough, and use the left where the two differ.
  await page.getByRole("button", { name: /^Case/ }).click();
  await page.getByRole("link", { name: "Counterparts" }).click();
  await page.getByRole("button", { name: "How counterparts are found" }).click();
  await choose(page, page.getByLabel("If values differ"), "use the left");
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: /^Save as version/ }).click();
  await expect(page.getByText("Saved as version")).toBeVisible();
  const open = page.getByRole("button", { name: /^To decide/ });
  await expect(open).toContainText(/\d/);
  await choose(page, page.getByLabel("Similar from"), "70 %");
  await page.getByRole("button", { name: /^Confirm .* match/ }).click();
  const left = async () => Number(/\d+/.exec(await open.innerText())?.[0]);
  await expect(
    page.getByRole("button", { name: "Confirm 0 matches" }).or(page.getByText("No doubtful matches left")),
  ).toBeVisible();
  for (let n = await left(); n > 0; n--) {
    await page.keyboard.press("y");
    await expect(open).toContainText(String(n - 1));
  }

  await stop(/Rules/).click();
  await expect(page.getByText("every rule is valid")).toBeVisible();
  await page.getByRole("button", { name: "Dry run", exact: true }).click();
  await expect(page.getByRole("list", { name: "Changes" })).toBeVisible();
  // Clean: nothing is held back, nothing would be refused, nothing waits for a person.
  await expect(page.getByRole("button", { name: /^Already at both/ })).toBeVisible();
  for (const name of [/^Can't be transferred/, /^Would be refused/, /^Left out/])
    await expect(page.getByRole("button", { name })).toHaveCount(0);
  await expect(page.getByText(/in conflict/)).toHaveCount(0);
  await expect(page.getByRole("button", { name: /^Transfer \d+ changes/ })).toBeEnabled();
  console.log(`new route: from signing in to a clean dry run in ${((Date.now() - began) / 1000).toFixed(1)} s`);
  await accessible(page, "a clean dry run");
});
