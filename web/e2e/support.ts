// What the walks share: console errors fail a test, and every main view is looked over by axe-core.
import AxeBuilder from "@axe-core/playwright";
import { expect, test as base, type Locator, type Page } from "@playwright/test";

export const test = base.extend<{ quiet: void }>({
  quiet: [
    async ({ page }, use) => {
      const errors: string[] = [];
      page.on("console", (m) => {
        // An answer that is refused (a session that is not there yet) is no fault of the page.
        if (m.type() === "error" && !m.text().startsWith("Failed to load resource")) errors.push(m.text());
      });
      page.on("pageerror", (e) => errors.push(e.message));
      await use();
      expect(errors, "errors in the console").toEqual([]);
    },
    { auto: true },
  ],
});

/** Nothing that axe-core finds on a page, or in a part of it: best practices among it. In dark only colours are other. */
export async function accessible(page: Page, view: string, within?: string) {
  for (const colorScheme of ["light", "dark"] as const) {
    await page.emulateMedia({ colorScheme, reducedMotion: "reduce" });
    // In the page itself: there are no frames, and for putting frames together axe opens a page of its own, behind which
    // this one is drawn no more until it is in front again.
    const axe = new AxeBuilder({ page }).setLegacyMode().options({ resultTypes: ["violations"] });
    if (colorScheme === "dark") axe.withRules(["color-contrast", "link-in-text-block"]);
    if (within) axe.include(within);
    const found = await axe.analyze();
    expect(
      found.violations.map(
        (v) =>
          `${view}, ${colorScheme}: ${v.id} at ${v.nodes
            .map((n) => n.target.join(" "))
            .slice(0, 4)
            .join("; ")}`,
      ),
    ).toEqual([]);
  }
  await page.emulateMedia({ colorScheme: "light", reducedMotion: "reduce" });
}

/** Picks one of a group of choices by the keyboard alone: the arrow until it has the keyboard, then space. */
export async function pick(page: Page, radio: Locator) {
  for (let n = 0; n < 8 && !(await radio.evaluate((one) => one === document.activeElement)); n++) {
    await page.keyboard.press("ArrowRight");
    await page.waitForTimeout(50);
  }
  await page.keyboard.press(" ");
  await expect(radio).toBeChecked();
}

/** What is unfolded now: a list to choose from, searched if it is long. */
const UNFOLDED = "[role=listbox][data-state=open], [cmdk-list]";

/** Chooses what is called so from a list; a note in brackets may stand behind its words. */
export async function choose(page: Page, select: Locator, words: string) {
  await select.click();
  const list = page.locator(UNFOLDED);
  await expect(list).toBeVisible();
  if (await list.evaluate((l) => l.matches("[cmdk-list]"))) await page.keyboard.type(words);
  const called = new RegExp(`^${words.replace(/[.*+?^${}()|[\]\\]/g, "\\$&")}( \\(.*\\))?$`);
  // Where the page moves under the pointer between press and release, nothing is chosen and the list stays: again, then.
  await expect(async () => {
    if (await list.count()) await list.getByRole("option", { name: called }).first().click({ timeout: 10_000 });
    await expect(list).toHaveCount(0, { timeout: 5_000 });
  }).toPass();
}

/** Begins the transfer of the plan that is open: by way of the page that says what it will do. */
export async function transfer(page: Page) {
  await page.getByRole("button", { name: /^Transfer [\d,]+ changes?…/ }).click();
  await expect(page.getByRole("heading", { name: /^Transfer [\d,]+ changes? from/ })).toBeVisible();
  await page.getByRole("button", { name: /^Transfer [\d,]+ changes?$/ }).click();
  await expect(page.getByRole("heading", { name: "Done", exact: true })).toBeVisible({ timeout: 120_000 });
}

/** Proves what was transferred, from the receipt of the transfer. Reading both ends again takes its time. */
export async function prove(page: Page) {
  await page.getByRole("link", { name: "Go to the proof" }).click();
  await expect(page.getByRole("heading", { name: "No proof yet" })).toBeVisible();
  await page.getByRole("button", { name: "Run a proof", exact: true }).click();
  await expect(page.getByRole("button", { name: "Run a proof again" })).toBeVisible({ timeout: 120_000 });
}

/** Signs in as the administrator whom the test made. */
export const signedIn = (page: Page) => signedInAs(page, "admin");

export async function signedInAs(page: Page, login: string) {
  await page.goto("/");
  await page.getByLabel("Login").fill(login);
  await page.getByLabel("Password").fill("a long enough password");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("navigation", { name: "Main" })).toBeVisible();
}

export const oldstone = process.env.OLDSTONE ?? "";
export const tallybench = process.env.TALLYBENCH ?? "";
export const fernway = process.env.FERNWAY ?? "";
export const cairnbook = process.env.CAIRNBOOK ?? "";
export { expect };
