/** What is drawn of frames: where they lie, how many there are, how long the longest is. */

import type { Frames } from "../model/frames";

/** Index of the stretch that is being shown at a time: the first whose end is not before it. */
export function frameAt(end: Float64Array, seconds: number): number | null {
  const at = firstFrom(end, seconds);
  return at < end.length ? at : null;
}

function firstFrom(end: Float64Array, seconds: number): number {
  let low = 0;
  let high = end.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((end[middle] ?? 0) < seconds) low = middle + 1;
    else high = middle;
  }
  return low;
}

/**
 * A trace over a stretch of time as a polyline in px: at most two points a column, its shortest and its longest frame, so
 * that no spike vanishes however far one zooms out.
 */
export function polyline(
  frames: Frames,
  fromS: number,
  toS: number,
  width: number,
  y: (ms: number) => number,
): [number, number][] {
  const points: [number, number][] = [];
  const x = (s: number) => ((s - fromS) / (toS - fromS)) * width;
  const first = Math.max(0, firstFrom(frames.end, fromS) - 1);
  const last = Math.min(frames.end.length - 1, firstFrom(frames.end, toS));
  let column = Number.NaN;
  let low = 0;
  let high = 0;
  const flush = () => {
    if (Number.isNaN(column)) return;
    points.push([column + 0.5, y(low)]);
    if (high !== low) points.push([column + 0.5, y(high)]);
  };
  for (let i = first; i <= last; i++) {
    const at = Math.floor(x(frames.end[i] ?? 0));
    const shortest = frames.low[i] ?? 0;
    const longest = frames.high[i] ?? 0;
    if (at === column) {
      low = Math.min(low, shortest);
      high = Math.max(high, longest);
    } else {
      flush();
      column = at;
      low = shortest;
      high = longest;
    }
  }
  flush();
  return points;
}

/** How many stretches of a trace lie within a stretch of time. */
export function countWithin(frames: Frames, fromS: number, toS: number): number {
  return Math.min(frames.end.length, firstFrom(frames.end, toS) + 1) - firstFrom(frames.end, fromS);
}

/**
 * What a line through a trace covers of each column of px, as its lowest and its highest value: so that no frame vanishes
 * however far one zooms out, and neighbours meet however close one looks. A column without anything is NaN.
 */
export function columnsOf(
  frames: Frames,
  fromS: number,
  toS: number,
  width: number,
): { low: Float64Array; high: Float64Array } {
  const count = Math.max(1, Math.round(width));
  const low = new Float64Array(count).fill(Number.NaN);
  const high = new Float64Array(count).fill(Number.NaN);
  const scale = count / (toS - fromS);
  const cover = (at: number, least: number, most: number) => {
    // A comparison with NaN is false: the first value of a column is taken.
    if (!((low[at] ?? 0) <= least)) low[at] = least;
    if (!((high[at] ?? 0) >= most)) high[at] = most;
  };
  const first = Math.max(0, firstFrom(frames.end, fromS) - 1);
  const last = Math.min(frames.end.length - 1, firstFrom(frames.end, toS));
  let [x0, low0, high0] = [Number.NaN, 0, 0];
  for (let i = first; i <= last; i++) {
    const x1 = ((frames.end[i] ?? 0) - fromS) * scale;
    const low1 = frames.low[i] ?? 0;
    const high1 = frames.high[i] ?? 0;
    const own = Math.floor(x1);
    if (own >= 0 && own < count) cover(own, low1, high1);
    if (!Number.isNaN(x0) && Math.floor(x0) !== own) {
      // The line from the last one, as far as it lies in each column that it crosses.
      const slope = 1 / (x1 - x0);
      const end = Math.min(count - 1, own);
      for (let at = Math.max(0, Math.floor(x0)); at <= end; at++) {
        const begin = Math.max(0, (at - x0) * slope);
        const stop = Math.min(1, (at + 1 - x0) * slope);
        cover(
          at,
          Math.min(low0 + (low1 - low0) * begin, low0 + (low1 - low0) * stop),
          Math.max(high0 + (high1 - high0) * begin, high0 + (high1 - high0) * stop),
        );
      }
    }
    [x0, low0, high0] = [x1, low1, high1];
  }
  return { low, high };
}

/** The longest frame of some traces within a stretch of time, in ms; each is laid where its offset says. */
export function longest(
  traces: (Frames | undefined)[],
  fromS: number,
  toS: number,
  laid: readonly { offsetS: number }[] = [],
): number {
  let found = 0;
  for (const [at, frames] of traces.entries()) {
    if (!frames) continue;
    const offset = laid[at]?.offsetS ?? 0;
    const last = firstFrom(frames.end, toS - offset);
    for (let i = firstFrom(frames.end, fromS - offset); i <= last && i < frames.high.length; i++) {
      found = Math.max(found, frames.high[i] ?? 0);
    }
  }
  return found;
}

/** The stretches between and around windows. */
export function outside(windows: readonly (readonly number[])[], end: number): [number, number][] {
  if (!windows.length) return [];
  const edges = [0, ...windows.flat(), Math.max(end, windows.at(-1)?.[1] ?? end)];
  const found: [number, number][] = [];
  for (let i = 0; i < edges.length; i += 2) {
    const [begin = 0, stop = 0] = [edges[i], edges[i + 1]];
    if (stop > begin) found.push([begin, stop]);
  }
  return found;
}
