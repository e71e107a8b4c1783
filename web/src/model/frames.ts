/** The frames of a capture as the server sends them. */

export interface Trace {
  key: number;
  label: string;
  lane: number;
  dashed: boolean;
  /** Where its frames are to be had, and what they were made by. */
  capture: number;
  made: string;
  /** What its figures were made by: its windows and settings too. */
  basis: string;
  endS: number;
  /** What is added to its clock to lay it over the others. */
  offsetS: number;
  /** Stretches of it that count, from and to in seconds; none for all of it. */
  windows: number[][];
}

/** Stretches of a trace, each with its end in s and its shortest and longest frame in ms; where exact, each is a frame. */
export interface Frames {
  end: Float64Array;
  low: Float64Array;
  high: Float64Array;
  exact: boolean;
}

/** Read the answer of the trace endpoint: exact or not, the count, then end clocks, shortest and longest frames. */
export function readFrames(buffer: ArrayBuffer): Frames {
  const values = new Float64Array(buffer);
  const exact = values[0] === 1;
  const count = values[1] ?? 0;
  const part = (n: number) => values.subarray(2 + n * count, 2 + (n + 1) * count);
  return { end: part(0), low: part(1), high: exact ? part(1) : part(2), exact };
}
