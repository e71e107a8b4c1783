import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { Problem } from "../src/api/client";
import { patiently, TRIES } from "../src/api/patiently";

beforeEach(() => void vi.useFakeTimers());
afterEach(() => void vi.useRealTimers());

const busy = () => new Problem("busy", "Other files are being read just now.", 503);

test("a busy server is asked again, ever later, until it answers", async () => {
  const send = vi.fn().mockRejectedValueOnce(busy()).mockRejectedValueOnce(busy()).mockResolvedValue("kept");
  const sent = patiently(send);
  await vi.advanceTimersByTimeAsync(999);
  expect(send).toHaveBeenCalledTimes(1);
  await vi.advanceTimersByTimeAsync(1);
  expect(send).toHaveBeenCalledTimes(2);
  await vi.advanceTimersByTimeAsync(2000);
  expect(await sent).toBe("kept");
});

test("one that stays busy is told after some tries", async () => {
  const send = vi.fn().mockImplementation(() => Promise.reject(busy()));
  const sent = patiently(send).catch((error) => error);
  await vi.advanceTimersByTimeAsync(60_000);
  expect(await sent).toMatchObject({ code: "busy" });
  expect(send).toHaveBeenCalledTimes(TRIES);
});

test.each([new Problem("too_large", "Too large.", 413), new TypeError("no network")])(
  "whatever else is wrong is told at once",
  async (error) => {
    const send = vi.fn().mockRejectedValue(error);
    await expect(patiently(send)).rejects.toBe(error);
    expect(send).toHaveBeenCalledTimes(1);
  },
);
