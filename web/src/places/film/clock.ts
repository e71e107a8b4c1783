/** What pages for filming say of time: pure parts, apart from what draws them. */

/** A running time, to the thousandth of a second. */
export function clockWords(ms: number): string {
  const whole = Math.max(0, Math.floor(ms));
  const minutes = Math.floor(whole / 60_000);
  const seconds = String(Math.floor(whole / 1000) % 60).padStart(2, "0");
  return `${minutes}:${seconds}.${String(whole % 1000).padStart(3, "0")}`;
}

/** How often a display's rate is told anew, ms. */
export const TOLD_MS = 500;
/** So many frames of a display are looked at to know its rate. */
export const LOOKED_AT = 90;

/** How often a display shows a frame, Hz, by when its last frames were drawn, ms; null while too few are known. */
export function refreshOf(drawn: readonly number[]): number | null {
  const apart = drawn
    .slice(1)
    .map((at, before) => at - (drawn[before] as number))
    .filter((one) => one > 0)
    .sort((a, b) => a - b);
  const usual = apart[Math.floor(apart.length / 2)];
  return apart.length < 20 || usual === undefined ? null : 1000 / usual;
}

/** How late a reading of a clock may be, s: its own steps, and one frame of the display that shows it. */
export const readingError = (refreshHz: number, stepMs: number): number => stepMs / 1000 + 1 / refreshHz;

/** The finest step that a clock takes, ms, by times that were read off it one after the other. */
export function stepOf(times: readonly number[]): number {
  const steps = times.slice(1).flatMap((at, before) => {
    const step = at - (times[before] as number);
    return step > 0 ? [step] : [];
  });
  // Nothing finer than a thousandth is shown.
  return Math.max(1, ...(steps.length ? [Math.min(...steps)] : []));
}

/** The buttons of a pad that are down, by pad and number. */
export function downOf(pads: readonly (Pick<Gamepad, "index" | "buttons"> | null)[]): string[] {
  return pads.flatMap((pad) =>
    pad
      ? pad.buttons.flatMap((one, at) => (one.pressed ? [`pad ${pad.index + 1}, button ${at + 1}`] : []))
      : [],
  );
}
