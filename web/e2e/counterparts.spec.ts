// A hundred doubtful matches settled by the keyboard alone, at speed; what was said is kept and can be taken back.
import { accessible, choose, expect, signedIn, test } from "./support";

test("a hundred doubtful matches are settled by keyboard", async ({ page }) => {
  await signedIn(page);
  await page.goto(`/routes/${process.env.ROUTE ?? ""}/counterparts?lane=test_case`);
  const pill = (name: RegExp) => page.getByRole("button", { name });
  const open = pill(/^To decide/);
  const list = page.getByRole("listbox", { name: "Items that may have a counterpart" });
  const chosen = list.getByRole("option", { selected: true });
  await expect(chosen).toBeVisible();
  await expect(page.getByRole("region", { name: "Side by side" })).toContainText("differ in");
  await accessible(page, "counterparts");
  const before = Number(/\d+/.exec(await open.innerText())?.[0]);
  expect(before).toBeGreaterThanOrEqual(100);

  const began = Date.now();
  for (let n = 1; n <= 100; n++) {
    const key = await chosen.getAttribute("id");
    await page.keyboard.press(n % 10 === 0 ? "n" : "y");
    await expect(open).toContainText(String(before - n));
    await expect(page.locator(`[id="${key ?? ""}"]`)).toHaveCount(0);
  }
  console.log(`a hundred matches in ${Date.now() - began} ms`);
  await expect(pill(/^Decided/)).toContainText("100");

  // The last is taken back, looked at again, and another is chosen for it by its digit.
  await page.keyboard.press("u");
  await expect(open).toContainText(String(before - 99));
  await page.keyboard.press("c");
  const others = page.getByRole("region", { name: "Choose another" });
  await expect(others.getByRole("listitem").first()).toBeVisible();
  await accessible(page, "others");
  const second = await others.getByRole("listitem").nth(1).innerText();
  const other = /TB-\d+/.exec(second)?.[0] ?? "";
  await page.keyboard.press("2");
  await pill(/^Decided/).click();
  await expect(list.getByRole("option").first()).toContainText(other);

  // All from a level on at once, and what was said is kept.
  await open.click();
  const left = Number(/\d+/.exec(await open.innerText())?.[0]);
  if (left > 0) {
    await choose(page, page.getByLabel("Similar from"), "70 %");
    await page.getByRole("button", { name: /^Confirm .* match/ }).click();
  }
  await expect(page.getByText(/^Saving/)).toHaveCount(0);
  await page.reload();
  await expect(pill(/^Decided/)).toContainText(/\d/);
  const said = Number(/\d+/.exec(await pill(/^Decided/).innerText())?.[0]);
  expect(said).toBeGreaterThanOrEqual(100);
  await pill(/^Likely duplicates/).click();
  await expect(page.getByRole("region", { name: "Likely duplicates at Oldstone" })).toContainText("similar or more");
  await accessible(page, "doubles");

  // Keys are made, shown once, and revoked.
  await page.getByRole("link", { name: "Access keys" }).click();
  await page.getByRole("button", { name: "Create a key" }).click();
  await page.getByRole("button", { name: "Create the key" }).click();
  await expect(page.getByText("A name is needed.")).toBeVisible();
  await page.getByLabel("Name", { exact: true }).fill("nightly");
  await accessible(page, "a new key");
  await page.getByRole("button", { name: "Create the key" }).click();
  await expect(page.getByLabel("The key")).toHaveValue(/^hovrel_/);
  await page.getByRole("button", { name: "I have it" }).click();
  await expect(page.getByLabel("The key")).toHaveCount(0);
  await page.getByRole("button", { name: "Revoke nightly" }).click();
  await page.getByRole("button", { name: "Revoke", exact: true }).click();
  await expect(page.getByRole("row", { name: /nightly/ })).toContainText("revoked");
});
