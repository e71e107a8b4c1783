/** Frame times over time: clocks, the value under the cursor, and one table for all passes. */

export interface Trace {
  key: number;
  label: string;
  lane: number;
  dashed: boolean;
  /** End clock of each frame in s, and its time in ms. */
  clock: Float64Array;
  ms: Float64Array;
}

/** End clocks of frames in s, from where the window starts. */
export function clockOf(frameMs: readonly number[], startsS: number): Float64Array {
  const clock = new Float64Array(frameMs.length);
  let spent = 0;
  for (let i = 0; i < frameMs.length; i++) {
    spent += frameMs[i] ?? 0;
    clock[i] = startsS + spent / 1000;
  }
  return clock;
}

/** Index of the frame that is being shown at a time: the first whose end is not before it. */
export function frameAt(clock: Float64Array, seconds: number): number | null {
  let low = 0;
  let high = clock.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((clock[middle] ?? 0) < seconds) low = middle + 1;
    else high = middle;
  }
  return low < clock.length ? low : null;
}
