// A lane that reads the right and writes the left: turned round with its rules, and what its dry run, its transfer and its proof show.
import { accessible, choose, expect, signedIn, test } from "./support";

const route = `/routes/${process.env.ROUTE ?? ""}`;
const [left, right] = [process.env.LEFT ?? "", process.env.RIGHT ?? ""];
const part = process.env.PART ?? "";

test("a lane is turned round, and carries to the left", async ({ page }) => {
  await signedIn(page);
  if (part === "turn") {
    await page.goto(`${route}/rules?lane=defect`);
    const rule = (name: string) => page.getByRole("button", { name: new RegExp(`^Rule for ${name}:`) });
    await expect(rule("Title")).toContainText("→");
    await choose(page, page.getByRole("combobox", { name: "Direction of the lane" }), `${left} ← ${right}`);
    // The fields of the left are filled from now on, each by a rule that points there.
    await expect(rule("Name")).toContainText("←");
    await expect(rule("Title")).toHaveCount(0);
    await expect(page.getByText(/rules? removed, because (it|they) can’t run that way: /)).toBeVisible();
    await accessible(page, "rules of a lane that is turned round");
    await page.keyboard.press("Control+z");
    await expect(rule("Title")).toContainText("→");
    await choose(page, page.getByRole("combobox", { name: "Direction of the lane" }), `${left} ← ${right}`);
    await expect(rule("Name")).toContainText("←");
    const save = page.getByRole("button", { name: /^Save as version/ });
    await save.click();
    await expect(save).toBeDisabled();
    await page.goto(`${route}/scope?lane=defect`);
    await expect(page.getByRole("region", { name: "right scope" })).toContainText(`transferred to ${left}`);
    await expect(page.getByRole("region", { name: "left scope" })).toContainText("Where counterparts are looked for");
    await page.goto(`${route}/counterparts?lane=defect`);
    await expect(page.getByText(`only at ${right}`).first()).toBeVisible();
    return;
  }
  await page.goto(`${route}/dry-run?kind=defect`);
  const list = page.getByRole("list", { name: "Changes" });
  await expect(page.getByRole("button", { name: /^Update left/ })).toBeVisible();
  await expect(page.getByRole("button", { name: /^Edited at left/ })).toBeVisible();
  await accessible(page, "the dry run of a lane that carries to the left");
  // The conflict: what the left holds is kept by 1, the right is used by 3.
  await page.getByRole("button", { name: /^Conflict/ }).click();
  await list.getByRole("listitem").first().click();
  const differences = page.getByRole("region", { name: "Differences" });
  await expect(differences).toContainText("the right would write");
  await page.keyboard.press("1");
  await expect(differences).toContainText("stays, by decision");
  await page.keyboard.press("3");
  await expect(differences).toContainText("becomes");
  await page.goto(`${route}/transfer`);
  await expect(page.getByRole("heading", { name: new RegExp(`between ${left} and ${right}$`) })).toBeVisible();
  await page.getByRole("button", { name: /^Begin|^Transfer/ }).click();
  await expect(page.getByRole("region", { name: "What was done" })).toBeVisible();
  await expect(page.getByRole("region", { name: "left end" })).toContainText("is written");
});
