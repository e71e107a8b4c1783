/** Signals that are heard over fans: a tick for each second before the start, a rise at the start, a double fall at the end. */
export type Signal = "tick" | "start" | "end" | "doubt" | "good";

const KEY = "rennbahn.muted";
const TONES: Record<Signal, [hz: number, atS: number, lengthS: number][]> = {
  tick: [[660, 0, 0.09]],
  start: [[990, 0, 0.32]],
  end: [
    [880, 0, 0.22],
    [587, 0.26, 0.42],
  ],
  good: [[784, 0, 0.12]],
  doubt: [
    [392, 0, 0.18],
    [392, 0.24, 0.18],
    [392, 0.48, 0.18],
  ],
};

let audio: AudioContext | null = null;

export const muted = (): boolean => localStorage.getItem(KEY) === "yes";

export function setMuted(now: boolean): void {
  localStorage.setItem(KEY, now ? "yes" : "no");
}

/** Let a signal sound, unless it is muted or the browser has no sound. */
export function sound(signal: Signal): void {
  if (muted() || typeof AudioContext === "undefined") return;
  audio ??= new AudioContext();
  // A browser lets no page sound before its first key; a session begins with one.
  void audio.resume();
  for (const [hz, atS, lengthS] of TONES[signal]) {
    const tone = audio.createOscillator();
    const loudness = audio.createGain();
    const at = audio.currentTime + atS;
    tone.frequency.value = hz;
    tone.type = "triangle";
    loudness.gain.setValueAtTime(0.0001, at);
    loudness.gain.exponentialRampToValueAtTime(0.5, at + 0.015);
    loudness.gain.exponentialRampToValueAtTime(0.0001, at + lengthS);
    tone.connect(loudness).connect(audio.destination);
    tone.start(at);
    tone.stop(at + lengthS + 0.02);
  }
}
