/**
 * A box whose content may be larger than its place. It decides that such a
 * box can be scrolled by keys: where it holds no control that the keyboard
 * reaches anyway, it is itself a stop of the tab key for as long as something
 * of it is out of sight (WCAG 2.2, 2.1.1 Keyboard). It knows nothing of what
 * it holds.
 */
import { type HTMLAttributes, useEffect, useRef, useState } from "react";

const REACHED = "a[href], button:not([disabled]), input:not([disabled]), select, textarea, [tabindex='0']";

type Props = HTMLAttributes<HTMLElement> & {
  as?: "div" | "section" | "aside" | "ul" | "ol";
  /** What a screen reader calls the box when the keyboard comes to it. */
  "aria-label": string;
};

export function Scroll({ as = "div", className = "", "aria-label": label, ...rest }: Props) {
  // The five elements share all that is used here.
  const Tag = as as "div";
  const box = useRef<HTMLDivElement>(null);
  const [stop, setStop] = useState(false);
  useEffect(() => {
    const at = box.current;
    if (!at) return;
    const look = () => setStop(isStop(at));
    look();
    const sizes = new ResizeObserver(look);
    const content = new MutationObserver(look);
    sizes.observe(at);
    content.observe(at, { childList: true, subtree: true, characterData: true });
    return () => {
      sizes.disconnect();
      content.disconnect();
    };
  }, []);
  // A box of no meaning of its own has neither role nor name (WAI-ARIA 1.2, 5.2.8.6), unless the keyboard comes to it.
  const named = as !== "div" || stop;
  return (
    <Tag
      {...rest}
      role={as === "div" && stop ? "group" : undefined}
      aria-label={named ? label : undefined}
      ref={box}
      tabIndex={stop ? 0 : undefined}
      className={`overflow-auto ${className}`}
    />
  );
}

/** Whether nothing but the box itself can bring what is out of sight into it. */
export function isStop(box: HTMLElement): boolean {
  const larger = box.scrollHeight > box.clientHeight || box.scrollWidth > box.clientWidth;
  return larger && box.querySelector(REACHED) === null;
}
