import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { test } from "vitest";
import { count, fixed, fps, interval, ms, percent, readNumber, signedPercent } from "../src/format";

interface Case {
  what: string;
  input: { kind: "fps" | "margin" | "ms"; value: number };
  expected: { text: string };
}

const cases: Case[] = JSON.parse(readFileSync("../core/tests/reference/arithmetic.json", "utf8")).cases;
const show = { fps, margin: percent, ms };

for (const { input, expected } of cases.filter((one) => one.what === "display")) {
  test(`${input.kind} ${input.value} shows as ${expected.text}, as in the core`, () => {
    assert.equal(show[input.kind](input.value), expected.text);
  });
}

test("numbers of every size keep their digits", () => {
  assert.equal(fixed(1e21, 1), "1000000000000000000000.0");
  assert.equal(fixed(1.5e-7, 2), "0.00");
  assert.equal(fixed(-0.05, 1), "-0.1");
  assert.equal(fixed(-0.04, 1), "0.0");
  assert.equal(percent(0.5), "50.0");
  assert.equal(percent(3), "300.0");
});

test("numbers are read with a decimal comma and a decimal point, and nothing else passes for one", () => {
  assert.deepEqual(
    ["2.5", "2,5", " 15,5 ", "-3", "+20", ".5", "7."].map(readNumber),
    [2.5, 2.5, 15.5, -3, 20, 0.5, 7],
  );
  assert.equal(readNumber("  "), null);
  for (const text of ["abc", "1_6", "1e3", "1,2,3", "0x10", "2 5", "Infinity", "-"])
    assert.ok(Number.isNaN(readNumber(text)), text);
});

test("signs are typeset and zero has none", () => {
  assert.equal(signedPercent(-0.0123), "−1.2");
  assert.equal(signedPercent(0.0123), "+1.2");
  assert.equal(signedPercent(-0.0003), "0.0");
  assert.equal(interval(-0.01, 0.002), "−1.0% to +0.2%");
  assert.equal(interval(null, 1), "no interval yet");
  assert.equal(count(1, "pass", "passes"), "1 pass");
});
