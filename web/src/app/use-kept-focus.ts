// The keyboard is never lost: what was pressed may go from the page, and the page takes its place.
import { useEffect, type RefObject } from "react";

/** Gives the keyboard to an element when what had it inside is no longer there. */
export function useKeptFocus(within: RefObject<HTMLElement | null>) {
  useEffect(() => {
    const place = within.current;
    if (!place) return;
    let last: Element | null = null;
    const note = () => {
      last = document.activeElement;
    };
    const keep = () => {
      if (document.activeElement !== document.body || !last || last.isConnected) return;
      last = null;
      place.focus({ preventScroll: true });
    };
    const seen = new MutationObserver(keep);
    seen.observe(place, { childList: true, subtree: true });
    place.addEventListener("focusin", note);
    return () => {
      seen.disconnect();
      place.removeEventListener("focusin", note);
    };
  }, [within]);
}
