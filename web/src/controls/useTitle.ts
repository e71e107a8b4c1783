import { useEffect } from "react";

/** The document's title: what is shown, most particular first. */
export function useTitle(...parts: (string | undefined)[]): void {
  const title = [...parts.filter(Boolean), "Rennbahn"].join(" · ");
  useEffect(() => {
    document.title = title;
  }, [title]);
}
