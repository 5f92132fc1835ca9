// Two edits of one step, put together step by step and by keyboard alone.
import { accessible, expect, pick, signedIn, test } from "./support";

test("steps are merged by keyboard", async ({ page }) => {
  await signedIn(page);
  await page.goto(`/conflicts?route=${process.env.ROUTE ?? ""}`);
  await expect(page.getByText("1 conflict", { exact: true })).toBeVisible();
  await expect(page.getByRole("region", { name: `Conflict of ${process.env.KEY ?? ""}` })).toBeVisible();
  await page.keyboard.press("m");
  const editor = page.getByRole("region", { name: "Merge both edits" });
  await expect(editor.getByRole("status")).toContainText("1 part changed at both ends");
  // The steps are counted through, whatever part they stand in.
  const parts = editor.getByRole("list", { name: "Parts" });
  const numbers = parts.locator("ol > li > span:first-child");
  await expect(numbers).toHaveText(["1", "2", "2", "3", "4"]);
  await accessible(page, "a merge of steps");
  await pick(page, editor.getByRole("radio", { name: "Both" }));
  await expect(numbers).toHaveText(["1", "2", "3", "4", "5"]);
  await expect(editor.getByRole("status")).toContainText("Both ends get this");
  await page.keyboard.press("Control+Enter");
  await expect(page.getByText("Nothing matches these filters.")).toBeVisible();
});
