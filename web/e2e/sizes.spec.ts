// Every action of every screen at small sizes, up to a zoom of 200 %: it can be brought into sight, is not covered by
// anything, and takes a press. Runs after the walks that leave systems, routes, plans and proofs behind.
import type { Page } from "@playwright/test";
import { expect, test } from "./support";

const sizes = [
  { width: 1366, height: 768 },
  { width: 1280, height: 720 },
  { width: 1024, height: 768 },
  // 1280 × 800 at 200 %.
  { width: 640, height: 400 },
];

/** Of a list only so many rows are pressed: they are alike. */
const ROWS = 3;

/** What can be pressed, and is of no use where it is: what stands out of the window, is covered, or can't be scrolled to. */
async function outOfReach(page: Page): Promise<{ pressed: number; wrong: string[] }> {
  return page.evaluate((most) => {
    const wrong: string[] = [];
    let pressed = 0;
    const rows = new Map<Element, number>();
    const wanted =
      "a[href], button:not(:disabled), input:not(:disabled), select:not(:disabled), textarea, [role=separator]";
    for (const element of document.querySelectorAll<HTMLElement>(wanted)) {
      if (!element.checkVisibility({ checkVisibilityCSS: true, checkOpacity: true })) continue;
      // The way past the bar shows itself when the keyboard comes to it.
      if (element.matches('a[href="#content"], [aria-hidden="true"]') || element.tabIndex < 0) continue;
      const list = element.closest("li, tr, [role=option]")?.parentElement;
      if (list) {
        const n = (rows.get(list) ?? 0) + 1;
        rows.set(list, n);
        if (n > most * 4) continue;
      }
      // A box that only a screen reader meets is pressed by its label.
      const small = element.getBoundingClientRect().width <= 1;
      const target = (small && element.closest("label")) || element;
      target.scrollIntoView({ block: "center", inline: "center" });
      const box = target.getBoundingClientRect();
      const [x, y] = [box.left + box.width / 2, box.top + box.height / 2];
      const at = document.elementFromPoint(x, y);
      pressed += 1;
      const is = at && (target.contains(at) || at.contains(target) || at.closest("label")?.contains(element));
      const inside = x >= 0 && y >= 0 && x <= window.innerWidth && y <= window.innerHeight;
      if (!inside || !is) {
        const name = element.getAttribute("aria-label") ?? element.textContent?.trim().slice(0, 40) ?? "";
        wrong.push(`${element.tagName.toLowerCase()} “${name}” at ${Math.round(x)}, ${Math.round(y)}`);
      }
    }
    return { pressed, wrong };
  }, ROWS);
}

test("every action of every screen can be reached at small sizes", async ({ page }) => {
  await page.goto("/");
  await page.getByLabel("Login").fill("ida");
  await page.getByLabel("Password").fill("a long enough password");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("navigation", { name: "Main" })).toBeVisible();
  const get = (path: string) =>
    page.evaluate(async (p) => (await (await fetch(`/api/v1${p}`)).json()) as unknown, path);
  const routes = (await get("/routes")) as { id: string; name: string }[];
  const systems = (await get("/systems")) as { id: string; name: string }[];
  const route = routes.find((r) => r.name.startsWith("Lift control"))?.id ?? "";
  const system = systems.find((s) => s.name === "Oldstone")?.id ?? "";
  const stops = [
    "ends",
    "scope",
    "rules",
    "counterparts",
    "dry-run",
    "transfer",
    "transfer?show=last",
    "proof",
    "versions",
  ];
  const views = ["fields", "items", "shape", "people", "folders"];
  const screens = [
    "/",
    "/systems",
    "/systems/new",
    ...views.map((v) => `/systems/${system}?view=${v}`),
    "/routes",
    "/routes/new",
    ...stops.map((s) => `/routes/${route}/${s}`),
    "/keys",
  ];
  let pressed = 0;
  for (const size of sizes) {
    await page.setViewportSize(size);
    for (const screen of screens) {
      await page.goto(screen);
      await page.waitForLoadState("networkidle");
      await expect(page.getByText(/^Reading /)).toHaveCount(0);
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
