// What a screen reader can say of where one is, from the tree that the browser gives to assistive technology.
import { expect, type Page } from "@playwright/test";

type Node = {
  ignored?: boolean;
  role?: { value?: string };
  name?: { value?: string };
  properties?: { name: string; value: { value?: unknown } }[];
};

const told = (node: Node | undefined) => `${node?.role?.value ?? "nothing"} “${node?.name?.value ?? ""}”`;

/** The title, the headings of the first level, what has the keyboard, and what is marked as the current page or stop. */
export async function heard(page: Page) {
  const session = await page.context().newCDPSession(page);
  const tree = (await session.send("Accessibility.getFullAXTree")) as { nodes: Node[] };
  await session.detach();
  const nodes = tree.nodes.filter((n) => !n.ignored);
  const has = (n: Node, property: string) => n.properties?.find((p) => p.name === property)?.value.value;
  const headings = nodes.filter((n) => n.role?.value === "heading" && has(n, "level") === 1);
  // The page itself is marked as well as what in it has the keyboard.
  const focused = nodes.filter((n) => has(n, "focused") === true && n.role?.value !== "RootWebArea").at(-1);
  return {
    title: await page.title(),
    headings: headings.map((n) => n.name?.value ?? ""),
    focus: { role: focused?.role?.value ?? "nothing", name: focused?.name?.value ?? "" },
    words: `${await page.title()} | ${headings.map((n) => n.name?.value).join(", ")} | ${told(focused)}`,
  };
}

/** Fails unless the tree says where one is: by the title, by one heading, and by a name on what has the keyboard. */
export async function isAt(page: Page, title: RegExp, heading: string | RegExp) {
  await expect(page).toHaveTitle(title);
  await expect(page.getByRole("heading", { level: 1 })).toHaveText(heading);
  const now = await heard(page);
  expect(now.headings, `one heading of the first level: ${now.words}`).toHaveLength(1);
  expect(now.focus.role, `something has the keyboard: ${now.words}`).not.toBe("nothing");
  expect(now.focus.name !== "" || now.focus.role === "main", `it has a name: ${now.words}`).toBe(true);
  console.log(`heard: ${now.words}`);
}
