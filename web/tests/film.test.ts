/** What pages for filming say of time. */
import { expect, test } from "vitest";
import { clockWords, downOf, readingError, refreshOf, stepOf } from "../src/places/film/clock";

const frames = (hz: number, count: number) => Array.from({ length: count }, (_, at) => (at * 1000) / hz);

test("a clock says minutes, seconds and thousandths, and never rounds up", () => {
  expect(clockWords(0)).toBe("0:00.000");
  expect(clockWords(61_234.9)).toBe("1:01.234");
  expect(clockWords(-3)).toBe("0:00.000");
});

test("a display's rate is told by its usual frame, a late one aside, and of few frames not at all", () => {
  expect(refreshOf(frames(60, 90))).toBeCloseTo(60, 6);
  const late = frames(120, 60).map((at, n) => at + (n > 30 ? 40 : 0));
  expect(refreshOf(late)).toBeCloseTo(120, 6);
  expect(refreshOf(frames(60, 15))).toBeNull();
  expect(refreshOf([])).toBeNull();
});

test("a reading is late by the clock's own step and a frame of the display", () => {
  expect(readingError(60, 1)).toBeCloseTo(0.0177, 4);
  expect(stepOf([1, 17.6, 34.2])).toBeCloseTo(16.6, 6);
  expect(stepOf([1, 1.1, 1.2])).toBe(1);
  expect(stepOf([5])).toBe(1);
});

test("of pads every button that is down is named by pad and number", () => {
  const pad = { index: 1, buttons: [{ pressed: false }, { pressed: true }] } as unknown as Gamepad;
  expect(downOf([null, pad])).toEqual(["pad 2, button 2"]);
  expect(downOf([])).toEqual([]);
});
