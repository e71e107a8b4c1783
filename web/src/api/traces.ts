import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useReducer, useRef } from "react";
import { type Frames, readFrames, type Trace } from "../model/frames";
import { problemOf } from "./client";

/** About as many stretches as a wide screen has columns. */
const STRETCHES = 4000;
/** A look beyond what is shown, so that a pan has something to draw at once. */
const MARGIN = 0.5;
/** A part is asked for once one looks at it for so long: a pan or a zoom passes many. */
const REST_MS = 90;
const KEPT_MS = 60_000;

interface Part {
  from: number;
  to: number;
}

/**
 * The frames of traces as a screen needs them: whole traces in stretches, kept for good by what they were made by, and
 * where one has zoomed into one whose frames are not all known, that part of it. What is there is read without a query a
 * trace, so that a pan costs nothing but its drawing.
 */
export function useTraceFrames(traces: readonly Trace[], zoom: Part | null): (Frames | undefined)[] {
  const queries = useQueryClient();
  const [, came] = useReducer((count: number) => count + 1, 0);
  const known = useRef(new Map<string, Frames>());
  const wanted = traces.map((trace) => {
    const whole = `${trace.capture} ${trace.made}`;
    const own = zoom && { from: zoom.from - trace.offsetS, to: zoom.to - trace.offsetS };
    const there = known.current.get(whole);
    const part = own && own.to > 0 && there && !there.exact ? snapped(own) : null;
    return { trace, whole, part, near: part ? `${whole} ${part.from} ${part.to}` : null };
  });
  const wholes = wanted.map((one) => one.whole).join();
  const nears = wanted.map((one) => one.near).join();
  const latest = useRef(wanted);
  latest.current = wanted;
  const ask = useRef(async (key: string, trace: Trace, part: Part | null) => {
    if (known.current.has(key)) return;
    const found = await queries.fetchQuery({
      queryKey: ["trace", trace.capture, trace.made, part?.from ?? null, part?.to ?? null],
      staleTime: Number.POSITIVE_INFINITY,
      ...(part ? { gcTime: KEPT_MS } : {}),
      queryFn: ({ signal }) => fetchFrames(trace, part, signal),
    });
    if (part) forgetOldest(known.current);
    known.current.set(key, found);
    came();
  });
  // biome-ignore lint/correctness/useExhaustiveDependencies: what is wanted is named by its keys
  useEffect(() => {
    for (const one of latest.current) ask.current(one.whole, one.trace, null).catch(() => undefined);
  }, [wholes]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: what is wanted is named by its keys
  useEffect(() => {
    const timer = setTimeout(() => {
      for (const one of latest.current)
        if (one.near) ask.current(one.near, one.trace, one.part).catch(() => undefined);
    }, REST_MS);
    return () => clearTimeout(timer);
  }, [nears]);
  return wanted.map(
    (one) => (one.near ? known.current.get(one.near) : undefined) ?? known.current.get(one.whole),
  );
}

/** Parts are kept while one looks around; of very many the first ones go. */
function forgetOldest(known: Map<string, Frames>) {
  const most = 200;
  for (const key of known.keys()) {
    if (known.size <= most) return;
    if (key.split(" ").length > 2) known.delete(key);
  }
}

/** A stretch widened to round ends, so that small moves ask for nothing new. */
export function snapped(zoom: Part): Part {
  const unit = 2 ** Math.ceil(Math.log2(Math.max(zoom.to - zoom.from, 0.01))) * MARGIN;
  return {
    from: Math.max(0, Math.floor(zoom.from / unit - MARGIN) * unit),
    to: Math.ceil(zoom.to / unit + MARGIN) * unit,
  };
}

async function fetchFrames(trace: Trace, stretch: Part | null, signal: AbortSignal): Promise<Frames> {
  const query = new URLSearchParams({ stretches: String(STRETCHES), key: trace.made });
  if (stretch) {
    query.set("from_s", String(stretch.from));
    query.set("to_s", String(stretch.to));
  }
  const answer = await fetch(`/api/captures/${trace.capture}/trace?${query}`, { signal });
  if (!answer.ok) throw problemOf(await answer.json().catch(() => null), answer.status);
  return readFrames(await answer.arrayBuffer());
}
