// Leaving a route with changes that are not saved. Runs after a walk that leaves a route behind.
import { outOfReach } from "./reach";
import { neverRun } from "./screens";
import { accessible, expect, signedInAs, test } from "./support";

const ASKED = "[role=alertdialog]";

test("leaving with unsaved changes asks, at any size", async ({ page }) => {
  await signedInAs(page, "ida");
  await page.goto(`/routes/${await neverRun(page)}/scope`);
  await page.getByRole("button", { name: "Add a condition" }).first().click();
  await expect(page.getByText("Changes not saved")).toBeVisible();
  const away = page.getByRole("navigation", { name: "Main" }).getByRole("link", { name: "Systems" });
  const question = page.getByRole("alertdialog", { name: "Leave with unsaved changes?" });
  for (const [width, height] of [
    [1280, 800],
    [640, 400],
  ] as const) {
    await page.setViewportSize({ width, height });
    await away.click();
    await expect(question).toBeVisible();
    await accessible(page, "the question on leaving", ASKED);
    expect((await outOfReach(page, ASKED)).wrong).toEqual([]);
    await page.keyboard.press("Escape");
    await expect(question).toHaveCount(0);
    await expect(away, "the keyboard is back").toBeFocused();
    await expect(page).toHaveURL(/\/scope$/);
  }
  await away.click();
  await question.getByRole("button", { name: "Discard changes" }).click();
  await expect(page.getByRole("heading", { level: 1, name: "Systems" })).toBeVisible();
});
