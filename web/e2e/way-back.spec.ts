// The way back of a rule: what it makes of an edit, tried on a real item; an expression in its place; and what becomes of
// fields that both ends edited.
import { accessible, choose, expect, signedIn, test } from "./support";

const right = process.env.RIGHT ?? "";
const left = process.env.LEFT ?? "";

test("a rule shows what comes back of an edit", async ({ page }) => {
  await signedIn(page);
  await page.goto(`/routes/${process.env.ROUTE ?? ""}/rules`);
  await page.getByRole("button", { name: /^Rule for Title:/ }).click();
  const panel = page.getByRole("complementary", { name: "Rule" });
  const tried = panel.getByRole("region", { name: new RegExp(`^An edit of .* at ${right}$`) });
  // One is made up at first.
  await expect(tried.locator("ins").first()).toContainText("edited");
  await expect(tried.locator("ins")).toHaveCount(2);
  await tried.getByRole("textbox").fill("Typed at the right");
  const comesBack = tried.locator("dd").last().locator("ins").first();
  await expect(comesBack).toHaveText("Typed");

  const way = panel.getByRole("combobox", { name: "Way back of Title" });
  await choose(page, way, "goes back, computed by an expression");
  const editor = panel.getByRole("textbox", { name: /^Expression for the way back/ });
  await editor.fill("fields.titel");
  await expect(panel.getByText(/the way back, at character \d+: .*fields\.title/)).toBeVisible();
  await editor.fill('fields.title.replace("N: ", "")');
  await tried.getByRole("textbox").fill("N: Typed");
  await expect(tried.locator("dd").first().locator("ins").first()).toContainText("N:");
  await expect(comesBack).toHaveText("Typed");
  await expect(panel.getByText("Problems")).toHaveCount(0);

  const policy = page.getByRole("combobox", { name: "If both edit the same" });
  await choose(page, policy, `use the edit at ${left}`);
  await accessible(page, "a way back by an expression");
  const save = page.getByRole("button", { name: /^Save as version/ });
  await save.click();
  await expect(save).toBeDisabled();
  await expect(page.getByRole("button", { name: /^Rule for Title: / })).toContainText("↔");
});
