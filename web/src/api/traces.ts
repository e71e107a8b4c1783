import { useQueries } from "@tanstack/react-query";
import { type Frames, readFrames, type Trace } from "../charts/traces";
import { problemOf } from "./client";

/** About as many stretches as a wide screen has columns. */
const STRETCHES = 4000;
/** A look beyond what is shown, so that a pan has something to draw at once. */
const MARGIN = 0.5;

/**
 * The frames of traces as a screen needs them: whole traces in stretches, kept for good by what they were made by, and
 * where one has zoomed into one whose frames are not all known, that part of it.
 */
export function useTraceFrames(
  traces: Trace[],
  zoom: { from: number; to: number } | null,
): (Frames | undefined)[] {
  const whole = useQueries({
    queries: traces.map((trace) => ({
      queryKey: ["trace", trace.capture, trace.made],
      staleTime: Number.POSITIVE_INFINITY,
      queryFn: ({ signal }: { signal: AbortSignal }) => fetchFrames(trace, null, signal),
    })),
  });
  const near = useQueries({
    queries: traces.map((trace, i) => {
      const own = zoom && { from: zoom.from - trace.offsetS, to: zoom.to - trace.offsetS };
      const stretch = own && own.to > 0 && whole[i]?.data && !whole[i].data.exact ? snapped(own) : null;
      return {
        queryKey: ["trace", trace.capture, trace.made, stretch?.from ?? null, stretch?.to ?? null],
        enabled: stretch !== null,
        staleTime: Number.POSITIVE_INFINITY,
        gcTime: 60_000,
        queryFn: ({ signal }: { signal: AbortSignal }) => fetchFrames(trace, stretch, signal),
      };
    }),
  });
  return traces.map((_, i) => (zoom ? near[i]?.data : undefined) ?? whole[i]?.data);
}

/** A stretch widened to round ends, so that small moves ask for nothing new. */
export function snapped(zoom: { from: number; to: number }): { from: number; to: number } {
  const unit = 2 ** Math.ceil(Math.log2(Math.max(zoom.to - zoom.from, 0.01))) * MARGIN;
  return {
    from: Math.max(0, Math.floor(zoom.from / unit - MARGIN) * unit),
    to: Math.ceil(zoom.to / unit + MARGIN) * unit,
  };
}

async function fetchFrames(
  trace: Trace,
  stretch: { from: number; to: number } | null,
  signal: AbortSignal,
): Promise<Frames> {
  const query = new URLSearchParams({ stretches: String(STRETCHES), key: trace.made });
  if (stretch) {
    query.set("from_s", String(stretch.from));
    query.set("to_s", String(stretch.to));
  }
  const answer = await fetch(`/api/captures/${trace.capture}/trace?${query}`, { signal });
  if (!answer.ok) throw problemOf(await answer.json().catch(() => null), answer.status);
  return readFrames(await answer.arrayBuffer());
}
