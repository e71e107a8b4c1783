import assert from "node:assert/strict";
import { strFromU8, unzipSync } from "fflate";
import { test } from "vitest";
import { piecesOf, zipOf } from "../src/api/packs";

const file = (name: string, content: string | Uint8Array<ArrayBuffer>) =>
  new File([content], name, { lastModified: Date.UTC(2026, 8, 12) });

async function joined(pieces: AsyncIterable<{ bytes: Blob; read: number }>) {
  const blobs: Blob[] = [];
  let read = 0;
  for await (const piece of pieces) {
    blobs.push(piece.bytes);
    assert.ok(piece.read >= read);
    read = piece.read;
  }
  return { whole: new Uint8Array(await new Blob(blobs).arrayBuffer()), read, number: blobs.length };
}

test("a folder becomes a zip in pieces, from which every file comes back", async () => {
  // Noise does not pack, so that there are many pieces.
  let state = 1;
  const noise = new Uint8Array(300_000).map(() => {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    return state >>> 24;
  });
  const files: [string, File][] = [
    ["day/plain.csv", file("plain.csv", "ms\n5.25\n")],
    ["day/deep/noise.csv", file("noise.csv", noise)],
    ["day/empty.csv", file("empty.csv", "")],
  ];
  const { whole, read, number } = await joined(zipOf(files, 50_000));
  assert.ok(number > 1, `${number} pieces`);
  assert.equal(read, 300_008);
  const back = unzipSync(whole);
  assert.deepEqual(Object.keys(back), ["day/plain.csv", "day/deep/noise.csv", "day/empty.csv"]);
  assert.equal(strFromU8(back["day/plain.csv"] ?? new Uint8Array()), "ms\n5.25\n");
  assert.deepEqual(back["day/deep/noise.csv"], noise);
});

test("a zip that is there is cut and not changed", async () => {
  const content = new Uint8Array(20_000_000).fill(7);
  const { whole, number } = await joined(piecesOf(file("day.zip", content)));
  assert.equal(number, 2);
  assert.equal(whole.length, content.length);
});
