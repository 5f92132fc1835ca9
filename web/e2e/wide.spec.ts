// 200 fields and a value map of 5,000 values: looked for, pasted, chosen, taken back; with how long things take beside
// the usual route in the same run.
import type { Page } from "@playwright/test";
import { expect, signedIn, test } from "./support";

/** From a key to the next picture, of every key pressed since it was last asked, in milliseconds. */
async function keyTimes(page: Page): Promise<number[]> {
  return page.evaluate(() => {
    const kept = window as unknown as { keyTimes?: number[] };
    const times = kept.keyTimes ?? [];
    kept.keyTimes = [];
    return times;
  });
}

const middle = (times: number[]) => times.toSorted((a, b) => a - b)[Math.floor(times.length / 2)] ?? 0;
const told = (times: number[]) =>
  `${middle(times).toFixed(0)} ms in the middle, ${Math.max(...times).toFixed(0)} at most`;

test("rules for 200 fields and 5,000 values stay quick to work with", async ({ page }) => {
  await page.addInitScript(() => {
    const kept = window as unknown as { keyTimes: number[] };
    kept.keyTimes = [];
    const noted = (event: Event) =>
      requestAnimationFrame(() => setTimeout(() => kept.keyTimes.push(performance.now() - event.timeStamp)));
    window.addEventListener("keydown", noted, { capture: true });
  });
  await signedIn(page);

  const rule = page.getByRole("button", { name: /^Rule for/ });
  const status = page.getByRole("status").filter({ hasText: /to fix|every rule is valid/ });
  const opened = async (route: string) => {
    const began = Date.now();
    await page.goto(`/routes/${route}/rules?lane=test_case`);
    await expect(rule.first()).toBeVisible();
    const seen = Date.now() - began;
    await expect(status).toBeVisible();
    return { seen, checked: Date.now() - began };
  };
  const walked = async () => {
    await keyTimes(page);
    for (let n = 0; n < 30; n++) await page.keyboard.press(n < 15 ? "ArrowDown" : "ArrowUp");
    return keyTimes(page);
  };
  const [usual, wide] = [process.env.USUAL ?? "", process.env.WIDE ?? ""];
  // The first look after a survey reads every item once; those after it don't.
  const firsts = { usual: await opened(usual), wide: await opened(wide) };
  const ofUsual = { ...(await opened(usual)), keys: await walked() };
  const ofWide = { ...(await opened(wide)), keys: await walked() };
  expect(await rule.count()).toBeGreaterThan(200);

  // The long list, pasted from a spreadsheet: every line is looked at, one is wrong, the others are taken.
  await page.getByRole("button", { name: "Rule for Part: value map" }).click();
  const paste = page.getByText("Paste from a spreadsheet");
  await paste.click();
  const box = page.getByLabel("Two columns: the value at the left, and what it becomes");
  await expect(box).toBeVisible();
  const lines = Array.from({ length: 5000 }, (_, n) => {
    const place = String(n).padStart(4, "0");
    return `Part ${place}\t${n === 4321 ? "Nord 9999" : `Nord ${place}`}`;
  });
  // As from a spreadsheet: by the clipboard.
  await page.context().grantPermissions(["clipboard-read", "clipboard-write"]);
  await page.evaluate((text) => navigator.clipboard.writeText(text), lines.join("\n"));
  await box.click();
  let began = Date.now();
  await page.keyboard.press("Control+v");
  await expect(page.getByText("Line 4322: the right does not allow “Nord 9999”")).toBeVisible();
  const pasted = Date.now() - began;
  began = Date.now();
  await page.getByRole("button", { name: "Add 4,999 lines" }).click();
  await expect(page.getByText("1 rule problem to fix")).toBeVisible();
  const taken = Date.now() - began;

  // The one that is left is found among 5,000, and its value among 5,000 others.
  await keyTimes(page);
  await page.getByLabel("Find a value").click();
  await page.keyboard.type("part 4321");
  const left = page.getByRole("button", { name: "Part 4321 becomes" });
  await expect(left).toBeVisible();
  await expect(page.getByRole("button", { name: "Part 4320 becomes" })).toBeHidden();
  const finding = await keyTimes(page);
  await left.click();
  await page.getByRole("dialog").getByLabel("Find a value").click();
  await page.keyboard.type("nord 4321");
  await expect(page.getByRole("dialog").getByRole("option", { name: "Nord 4321" })).toBeVisible();
  const choosing = await keyTimes(page);
  began = Date.now();
  await page.keyboard.press("Enter");
  await expect(left).toContainText("Nord 4321");
  const chosen = Date.now() - began;
  await expect(page.getByText("every rule is valid")).toBeVisible();

  // Taken back and done again.
  await page.getByLabel("Find a value").blur();
  await page.keyboard.press("Control+z");
  await expect(left).toContainText("choose…");
  await page.keyboard.press("Control+Shift+z");
  await expect(left).toContainText("Nord 4321");
  began = Date.now();
  await page.keyboard.press("Control+s");
  await expect(page.getByText("Saved as version")).toBeVisible();
  const saved = Date.now() - began;

  const times = (a: number, b: number) => `${(a / Math.max(b, 1)).toFixed(1)} times`;
  for (const line of [
    `first look after a survey: fields seen after ${firsts.wide.seen} ms, checked after ${firsts.wide.checked}; the usual route ${firsts.usual.seen} and ${firsts.usual.checked}: ${times(firsts.wide.seen, firsts.usual.seen)} and ${times(firsts.wide.checked, firsts.usual.checked)}`,
    `fields seen after ${ofWide.seen} ms, checked after ${ofWide.checked}; the usual route ${ofUsual.seen} and ${ofUsual.checked}: ${times(ofWide.seen, ofUsual.seen)} and ${times(ofWide.checked, ofUsual.checked)}`,
    `a key among the fields: ${told(ofWide.keys)}; the usual route ${told(ofUsual.keys)}: ${times(middle(ofWide.keys), middle(ofUsual.keys))}`,
    `a key while a value is looked for among 5,000: ${told(finding)}; while one is chosen: ${told(choosing)}`,
    `5,000 lines pasted and marked: ${pasted} ms; taken and checked: ${taken} ms; one chosen: ${chosen} ms; saved: ${saved} ms`,
  ])
    console.log(`wide: ${line}`);
});
