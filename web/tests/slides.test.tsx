// @vitest-environment jsdom
import "./dom";
import assert from "node:assert/strict";
import { render } from "@testing-library/react";
import { test } from "vitest";
import { LIGHT_PICTURE } from "../src/charts/marks";
import { laid, SlidePicture, slideOf } from "../src/charts/SlidePicture";

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

test("nothing is cut off: the more there is, the smaller it stands", () => {
  const few = laid(texts("Brandt 510 is ahead of Aster 70.", 1));
  const many = laid(texts("Brandt 510 is ahead of Aster 70 in most of the tests that were run.", 24));
  assert.ok(few.size > many.size && many.size >= 12);
  assert.equal(
    many.lines
      .map((one) => one.words)
      .join(" ")
      .match(/Brandt/g)?.length,
    24,
  );
  assert.ok(Math.max(...many.lines.map((one) => one.y)) < 900);
});
