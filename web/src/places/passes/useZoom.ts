import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import type { Stretch } from "../../charts/TraceChart";
import { useAddress } from "../../controls/useAddress";

/** An address is not written on every step of a drag: a browser takes only so many a second. */
const REST_MS = 250;

/** What of the traces is looked at. It lives in the address, where it comes to rest. */
export function useZoom(): [Stretch | null, (zoom: Stretch | null) => void] {
  const [search, set] = useAddress();
  const told = search.get("zoom") ?? "";
  const addressed = useMemo(() => zoomOf(told), [told]);
  const [zoom, setHere] = useState(addressed);
  const written = useRef(told);
  // Back, or another address, shows what it says.
  useEffect(() => {
    if (told === written.current) return;
    written.current = told;
    setHere(addressed);
  }, [told, addressed]);
  useEffect(() => {
    const text = textOf(zoom);
    if (text === written.current) return;
    const timer = setTimeout(() => {
      written.current = text;
      set({ zoom: text });
    }, REST_MS);
    return () => clearTimeout(timer);
  }, [zoom, set]);
  return [zoom, useCallback((next: Stretch | null) => setHere(next), [])];
}

/** A stretch as an address has it: from and to in seconds. */
export const textOf = (zoom: Stretch | null): string =>
  zoom ? `${zoom.from.toFixed(3)}-${zoom.to.toFixed(3)}` : "";

/** The stretch that an address tells; null where it tells none. */
export function zoomOf(text: string): Stretch | null {
  const [from, to] = text.split("-").map(Number);
  return from !== undefined && to !== undefined && to > from && from >= 0 ? { from, to } : null;
}
