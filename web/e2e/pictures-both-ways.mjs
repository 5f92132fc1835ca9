// Takes the pictures of conflicts and of the record from the demo with its routes: ./start --fresh, and then
//   node web/e2e/pictures-both-ways.mjs
import { readFileSync } from "node:fs";
import { chromium } from "@playwright/test";

const root = new URL("../..", import.meta.url).pathname;
const address = readFileSync(`${root}data/run/address`, "utf8");
const password = readFileSync(`${root}data/sign-in`, "utf8").trim().split(" ").at(-1);

const browser = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox", "--disable-gpu"] });
const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, reducedMotion: "reduce" });
const shot = async (name) => {
  await page.mouse.move(640, 799);
  await page.evaluate(() => document.fonts.ready);
  await page.waitForTimeout(400);
  await page.screenshot({ path: `${root}docs/screenshots/${name}.png` });
};

await page.goto(address);
await page.getByLabel("Login").fill("admin");
await page.getByLabel("Password").fill(password);
await page.keyboard.press("Enter");
await page.getByRole("navigation", { name: "Main" }).waitFor();

await page.goto(`${address}/conflicts`);
await page.getByRole("region", { name: /^Conflict of/ }).waitFor();
await page.keyboard.press("m");
await page.getByRole("region", { name: "Merge both edits" }).waitFor();
await page.getByRole("radio", { name: "Left" }).click();
await shot("conflicts");
await page.getByRole("button", { name: "Use this merge" }).click();
await page.getByText("Decided for 1 conflict").waitFor();
await page.goto(`${address}/record`);
await page.getByRole("list", { name: "Lines of the record" }).waitFor();
await shot("record");
await browser.close();
