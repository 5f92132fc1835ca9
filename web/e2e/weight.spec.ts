// What the browser loads before the first page can be used, and what only when a view is opened.
import { gzipSync } from "node:zlib";
import { expect, signedInAs, test } from "./support";

/** Script in bytes, compressed: what a first visit may take. */
const MOST = 200 * 1024;

test("a first visit loads little script, and views when they are opened", async ({ page }) => {
  const scripts = new Map<string, number>();
  page.on("response", async (answer) => {
    if (!answer.url().endsWith(".js") || !answer.ok()) return;
    scripts.set(new URL(answer.url()).pathname, gzipSync(await answer.body()).length);
  });
  await signedInAs(page, "ida");
  await page.waitForLoadState("networkidle");
  const first = [...scripts.values()].reduce((a, b) => a + b, 0);
  console.log(`weight: ${(first / 1024).toFixed(1)} kB of script, compressed, in ${scripts.size} files at first`);
  expect(first).toBeGreaterThan(20 * 1024);
  expect(first).toBeLessThanOrEqual(MOST);
  const before = scripts.size;
  await page.getByRole("navigation", { name: "Main" }).getByRole("link", { name: "Access keys" }).click();
  await expect(page.getByRole("heading", { level: 1, name: "Access keys" })).toBeVisible();
  await page.waitForLoadState("networkidle");
  expect(scripts.size, "a view brings its own script").toBeGreaterThan(before);
});
