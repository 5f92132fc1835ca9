// Conflicts decided by the keyboard alone: a merge by parts, nine alike at once, and one by itself.
import { accessible, expect, pick, signedIn, test } from "./support";

test("conflicts are decided by keyboard", async ({ page }) => {
  await signedIn(page);
  await page.goto(`/conflicts?route=${process.env.ROUTE ?? ""}`);
  const list = page.getByRole("list", { name: "Conflicts" });
  const chosen = list.locator('[aria-current="true"]');
  await expect(page.getByText("11 conflicts", { exact: true })).toBeVisible();
  await accessible(page, "conflicts");
  const walkTo = async (key: string) => {
    const first = list.getByRole("listitem").first();
    for (let n = 0; n < 40 && (await first.getAttribute("aria-current")) !== "true"; n++) {
      await page.keyboard.press("k");
      await page.waitForTimeout(30);
    }
    await expect(first).toHaveAttribute("aria-current", "true");
    for (let n = 0; n < 11 && !(await chosen.innerText()).includes(key); n++) {
      const before = await chosen.innerText();
      await page.keyboard.press("j");
      await expect(chosen).not.toHaveText(before, { useInnerText: true });
    }
    await expect(chosen).toContainText(key);
    await expect(page.getByRole("region", { name: `Conflict of ${key}` })).toBeVisible();
  };

  // Both edits of one, part by part.
  const merged = process.env.MERGED ?? "";
  await walkTo(merged);
  await page.keyboard.press("m");
  const editor = page.getByRole("region", { name: "Merge both edits" });
  await expect(editor.getByRole("status")).toContainText("1 part changed at both ends");
  await accessible(page, "a merge");
  // The first choice has the keyboard; the third is both.
  await pick(page, editor.getByRole("radio", { name: "Both" }));
  await page.keyboard.press("Control+Enter");
  await expect(page.getByText("10 conflicts", { exact: true })).toBeVisible();

  // One by itself, taken back and decided again.
  await walkTo(process.env.ALONE ?? "");
  await page.keyboard.press("r");
  await expect(page.getByText("9 conflicts", { exact: true })).toBeVisible();
  await page.getByRole("button", { name: "Undo" }).first().press("Enter");
  await expect(page.getByText("10 conflicts", { exact: true })).toBeVisible();
  await walkTo(process.env.ALONE ?? "");
  await page.keyboard.press("l");
  await expect(page.getByText("9 conflicts", { exact: true })).toBeVisible();

  // The other nine alike, with what they are before it is done.
  await page.keyboard.press("s");
  const sheet = page.getByRole("dialog");
  await expect(sheet.getByText("9 conflicts are open for the same rule and reason.")).toBeVisible();
  await accessible(page, "similar conflicts");
  await expect(sheet.getByText(/^Halt OS-2/).first()).toBeVisible();
  const use = sheet.getByRole("button", { name: "Use right for 9" });
  for (let n = 0; n < 40 && !(await use.evaluate((b) => b === document.activeElement)); n++)
    await page.keyboard.press("Tab");
  await page.keyboard.press("Enter");
  await expect(sheet).toBeHidden();
  await expect(page.getByText("Nothing matches these filters.")).toBeVisible();
  await page.getByRole("button", { name: "Decided", exact: true }).press("Enter");
  await expect(page.getByText("11 conflicts", { exact: true })).toBeVisible();
  await page.reload();
  await expect(page.getByText("11 conflicts", { exact: true })).toBeVisible();
  await expect(page.getByRole("button", { name: "Clear the decision" })).toBeVisible();
});
