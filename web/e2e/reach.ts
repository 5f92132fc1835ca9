// Whether what can be pressed is within reach.
import type { Page } from "@playwright/test";

/** Of a list only so many rows are pressed: they are alike. */
const ROWS = 3;

/** What can be pressed, and is of no use where it is: what stands out of the window, is covered, or can't be scrolled to. */
export async function outOfReach(page: Page, within = "body"): Promise<{ pressed: number; wrong: string[] }> {
  return page.evaluate(
    ({ most, within }) => {
      const wrong: string[] = [];
      let pressed = 0;
      const rows = new Map<Element, number>();
      const wanted =
        "a[href], button:not(:disabled), input:not(:disabled), select:not(:disabled), textarea, [role=separator]";
      for (const element of document.querySelector(within)?.querySelectorAll<HTMLElement>(wanted) ?? []) {
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
    },
    { most: ROWS, within },
  );
}
