// Every action of every screen at small sizes, up to a zoom of 200 %: it can be brought into sight, is not covered by
// anything, and takes a press. Runs after the walks that leave systems, routes, plans and proofs behind.
import { outOfReach } from "./reach";
import { screens as all } from "./screens";
import { expect, signedInAs, test } from "./support";

const sizes = [
  { width: 1366, height: 768 },
  { width: 1280, height: 720 },
  { width: 1024, height: 768 },
  // 1280 × 800 at 200 %.
  { width: 640, height: 400 },
];

test("every action of every screen can be reached at small sizes", async ({ page }) => {
  await signedInAs(page, "ida");
  const screens = await all(page);
  let pressed = 0;
  for (const [n, screen] of screens.entries()) {
    // Every other screen is opened at the smallest size and the window made larger, the others the other way round.
    const inTurn = n % 2 === 0 ? sizes : [...sizes].reverse();
    for (const [at, size] of inTurn.entries()) {
      await page.setViewportSize(size);
      if (at === 0) {
        await page.goto(screen);
        await page.waitForLoadState("networkidle");
      }
      await expect(page.getByText(/^Reading /)).toHaveCount(0);
      await page.evaluate(() => new Promise((drawn) => requestAnimationFrame(() => requestAnimationFrame(drawn))));
      const found = await outOfReach(page);
      pressed += found.pressed;
      expect(found.wrong, `${screen} at ${size.width} × ${size.height}`).toEqual([]);
      const wide = await page.evaluate(() => document.documentElement.scrollWidth - window.innerWidth);
      expect(wide, `${screen} at ${size.width} × ${size.height} is not wider than the window`).toBeLessThanOrEqual(0);
    }
  }
  expect(pressed).toBeGreaterThan(500);
  console.log(`sizes: ${pressed} actions on ${screens.length} screens at ${sizes.length} sizes`);
});
