// A field made where there is none, types of links, and what travels back of several values.
import { accessible, choose, expect, signedIn, test } from "./support";

test("what has no place at the right gets one", async ({ page }) => {
  await signedIn(page);
  await page.goto(`/routes/${process.env.USUAL ?? ""}/rules?lane=test_case`);
  await expect(page.getByText("every rule is valid")).toBeVisible();

  const row = page.getByRole("row", { name: /^Brake class/ });
  await row.getByRole("button", { name: "Create a field for it" }).click();
  const sheet = page.getByRole("dialog", { name: "A field at Tallybench for Brake class" });
  await sheet.getByLabel("Name").fill(" title");
  await sheet.getByRole("button", { name: "Create the field" }).click();
  await expect(sheet.getByText("There is a field “Title” already")).toBeVisible();
  await accessible(page, "a field to be made");
  await sheet.getByLabel("Name").fill("Brake class");
  await sheet.getByRole("button", { name: "Create the field" }).click();
  await expect(page.getByRole("button", { name: "Rule for Brake class: as it is" })).toBeVisible();
  await expect(page.getByLabel("Source of Brake class")).toContainText("Brake class");
  await expect(row.getByRole("button", { name: "Create a field for it" })).toHaveCount(0);

  // Two values become one. This lane does not go back, so nothing is asked about a way back.
  await page.getByRole("button", { name: "Rule for Priority: value map" }).click();
  await choose(page, page.getByLabel("Trifling becomes"), "Low");
  await choose(page, page.getByLabel("Slight becomes"), "Low");
  await expect(page.getByRole("radio", { name: /on the way back/ })).toHaveCount(0);

  // A map over what is computed has a row for each value that comes out, and writes any text where the field takes it.
  await page.getByRole("button", { name: "Rule for Component: no rule" }).click();
  await choose(page, page.getByLabel("Source of Component"), "computed, or several fields joined");
  await page.getByRole("textbox", { name: /Expression/ }).fill('key.endsWith("1") ? "first" : "other"');
  await choose(page, page.getByLabel("How"), "value map");
  await expect(page.getByText("2 values in scope, any text at the right")).toBeVisible();
  const first = page.getByRole("listitem").filter({ hasText: /^first/ });
  const items = Number(await first.locator(".mono").innerText());
  expect(items).toBeGreaterThan(0);
  await expect(page.getByText(`${items} items:`)).toBeVisible();
  await page.getByLabel("first becomes", { exact: true }).fill("Drive");
  await page.getByRole("button", { name: "other becomes nothing" }).click();
  await expect(page.getByText("every rule is valid")).toBeVisible();
  await accessible(page, "a map to any text");

  await page.getByRole("button", { name: "Rule for Links: links" }).click();
  await choose(page, page.getByLabel("Links “relates to” become"), "verifies");
  await expect(page.getByRole("button", { name: "Rule for Links: types of links" })).toBeVisible();
  await accessible(page, "types of links");
  await choose(page, page.getByLabel("Links “relates to” become"), "left out, as a loss");
  await expect(page.getByText("every rule is valid")).toBeVisible();
  await page.keyboard.press("Control+s");
  await expect(page.getByText("Saved as version")).toBeVisible();
});
