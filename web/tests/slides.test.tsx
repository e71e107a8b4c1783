// @vitest-environment jsdom
import "./dom";
import assert from "node:assert/strict";
import { render } from "@testing-library/react";
import { test } from "vitest";
import { LIGHT_PICTURE } from "../src/charts/marks";
import { laid, SlidePicture, slideOf, slidesFor } from "../src/charts/SlidePicture";

const block = (html: string) => {
  const found = document.createElement("div");
  found.innerHTML = html;
  return found;
};
const texts = (words: string, count: number) => Array.from({ length: count }, () => ({ words }));

test("a block says on a slide what it says on the page, each sentence once", () => {
  const of = slideOf(
    block(
      '<div class="claim"><p>B is <mark>ahead</mark></p><p class="basis">Of 3 tests.</p></div><ul><li><p>One</p></li></ul>',
    ),
  );
  assert.deepEqual(of, {
    texts: [
      { words: "B is ahead", strong: true },
      { words: "Of 3 tests.", strong: false },
      { words: "One", strong: false },
    ],
  });
});

test("a table is a table on a slide, with what it holds, its heads, and of how many rows", () => {
  const of = slideOf(
    block(
      "<figure><figcaption>Over A</figcaption><table><tr><th>Test</th><th>fps</th></tr>" +
        '<tr><th>Reed</th><td>61.2</td></tr></table></figure><p class="basis">1 of 3 rows.</p>',
    ),
  );
  const table = [
    ["Test", "fps"],
    ["Reed", "61.2"],
  ];
  assert.deepEqual(of, { caption: "Over A", table, foot: "1 of 3 rows." });
  const { container } = render(<SlidePicture theme={LIGHT_PICTURE} question="Does it?" of={of} />);
  assert.deepEqual(
    [...container.querySelectorAll("text")].map((one) => one.textContent),
    ["Does it?", "Over A", "Test", "fps", "Reed", "61.2", "1 of 3 rows."],
  );
});

test("nothing is cut off: the more there is the smaller it stands, and then on several slides", () => {
  const size = (of: ReturnType<typeof laid>) => of[0]?.size ?? 0;
  const few = laid(texts("Brandt 510 is ahead of Aster 70.", 1));
  const many = laid(texts("Brandt 510 is ahead of Aster 70 in most of the tests that were run.", 20));
  assert.ok(size(few) > size(many) && size(many) >= 20);
  const slides = slidesFor({ texts: texts("Brandt 510 is ahead of Aster 70 in most tests.", 100) });
  const told = slides.flatMap((one) => ("texts" in one ? [one.texts] : []));
  assert.equal(told.flat().length, 100);
  assert.ok(slides.length > 3);
  for (const one of told)
    assert.ok(Math.max(...laid(one).map((line) => line.y + line.size)) < 1080 - 130 - 40, "each is whole");
});

test("a long table goes on several slides, each with its heads and which part it is", () => {
  const rows = Array.from({ length: 40 }, (_, at) => [`Test ${at}`, "61.2"]);
  const slides = slidesFor({ caption: "Over A", table: [["Test", "fps"], ...rows], foot: "" });
  assert.deepEqual(
    slides.map((one) => "table" in one && [one.table[0]?.[0], one.table.length - 1, one.foot]),
    [
      ["Test", 18, "Part 1 of 3."],
      ["Test", 18, "Part 2 of 3."],
      ["Test", 4, "Part 3 of 3."],
    ],
  );
});
