// Every sheet, menu and small list that a button of any screen opens: axe-core finds nothing in it in either theme, what
// it offers can be pressed at the smallest size, and closing it gives the keyboard back to what opened it. Runs after
// the walks that leave systems, routes, plans and proofs behind.
import type { Locator, Page } from "@playwright/test";
import { outOfReach } from "./reach";
import { screens as all } from "./screens";
import { accessible, expect, signedInAs, test } from "./support";

const OPENERS = "[aria-haspopup]:not([disabled]), [role=combobox]:not([disabled])";
const OPENED = "[role=dialog], [role=alertdialog], [role=menu], [role=listbox][data-state=open]";

/** Openers that open the same for another row, or on every page, are tried once. */
async function openers(page: Page, seen: Set<string>): Promise<[string, Locator][]> {
  const out: [string, Locator][] = [];
  const found = page.locator(OPENERS);
  for (let n = 0; n < (await found.count()); n++) {
    const one = found.nth(n);
    if (!(await one.isVisible())) continue;
    const name = ((await one.getAttribute("aria-label")) ?? (await one.textContent()) ?? "").replace(/[\d,]+/g, "n");
    const place = new URL(page.url()).pathname.split("/").at(-1);
    const everywhere = (await one.locator("xpath=ancestor::header").count()) > 0;
    const id = everywhere ? name : `${place} ${name}`;
    if (seen.has(id)) continue;
    seen.add(id);
    out.push([name.trim(), one]);
  }
  return out;
}

const opened = (page: Page) => page.locator(OPENED).filter({ visible: true });

// Dozens of them, each opened twice.
test.setTimeout(1_200_000);

test("every sheet and menu can be read, reached, and left by the keyboard", async ({ page }) => {
  await signedInAs(page, "ida");
  const seen = new Set<string>();
  const told: string[] = [];
  for (const screen of await all(page)) {
    await page.setViewportSize({ width: 1280, height: 800 });
    await page.goto(screen);
    await page.waitForLoadState("networkidle");
    await accessible(page, screen);
    for (const [name, opener] of await openers(page, seen)) {
      const view = `${screen.replace(/[0-9a-f-]{36}/, "…")}, ${name}`;
      const open = async (width: number, height: number, look: () => Promise<void>) => {
        await page.setViewportSize({ width, height });
        await opener.click();
        await expect(opened(page), view).toHaveCount(1);
        await page.waitForLoadState("networkidle");
        await look();
        await page.keyboard.press("Escape");
        await expect(opened(page), view).toHaveCount(0);
        await expect(opener, `${view}: the keyboard is back`).toBeFocused();
      };
      await open(1280, 800, () => accessible(page, view, OPENED));
      await open(640, 400, async () => {
        expect((await outOfReach(page, OPENED)).wrong, `${view} at 640 × 400`).toEqual([]);
      });
      told.push(view);
    }
  }
  console.log(`sheets: ${told.length} opened: ${told.join(" | ")}`);
  expect(told.length).toBeGreaterThan(12);
});
