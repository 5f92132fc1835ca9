// The title of the page, so that windows and their history can be told apart.
import { useEffect } from "react";

/** Names the page by its parts, the most particular first; parts that are not known yet are left out. */
export function useTitle(...parts: (string | undefined | null)[]) {
  const title = [...parts.filter(Boolean), "Hovrel"].join(" · ");
  useEffect(() => {
    document.title = title;
  }, [title]);
}
