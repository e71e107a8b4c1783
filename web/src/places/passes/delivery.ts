/** Delivery as the eye would meet it: which frame stands at a moment, and what a replay draws of it. */

import { frameAt } from "../../charts/traces";
import type { Frames } from "../../model/frames";

export interface Shown {
  /** Index of the frame that stands, -1 before the first is there. */
  index: number;
  /** When it was delivered, s. */
  sinceS: number;
}

/** The frame that stands at a moment: the last one that was delivered by then. */
export function standingAt(frames: Frames, at: number): Shown {
  const next = frameAt(frames.end, at);
  // A frame is delivered at its end; one that ends just now stands already.
  const index = next === null ? frames.end.length - 1 : (frames.end[next] ?? 0) <= at ? next : next - 1;
  return { index, sinceS: index < 0 ? 0 : (frames.end[index] ?? 0) };
}

/** When frames were delivered within a stretch, s. */
export function delivered(frames: Frames, from: number, to: number): number[] {
  const found: number[] = [];
  for (let i = Math.max(0, standingAt(frames, from).index); i < frames.end.length; i++) {
    const at = frames.end[i] ?? 0;
    if (at > to) break;
    if (at >= from) found.push(at);
  }
  return found;
}

export const SPEEDS = [1, 1 / 2, 1 / 5, 1 / 10, 1 / 20] as const;
export const speedWords = (speed: number): string => (speed === 1 ? "1×" : `1/${Math.round(1 / speed)}×`);
