import assert from "node:assert/strict";
import { renderToStaticMarkup } from "react-dom/server";
import { test } from "vitest";
import type { Schemas } from "../src/api/client";
import { Looked } from "../src/published/Blocks";
import type { Node, PageOf } from "../src/published/model";
import { Numbers, Page } from "../src/published/Page";
import { Prose } from "../src/published/Prose";
import { findings } from "./findings";

const said = (inside: Node[]): Node => ({ type: "doc", content: [{ type: "paragraph", content: inside }] });
const LIVE: Node = {
  type: "number",
  attrs: { study: 1, key: "k", of: "Average fps: B over A", text: "+2.0%" },
};

function page(more: Partial<PageOf> = {}): PageOf {
  return {
    words: {} as Schemas["WordsOut"],
    title: "Fins",
    summary: "B is ahead.",
    number: 1,
    address: "/articles/fins/",
    at: "2026-11-30T23:30:00+00:00",
    author: "tomke",
    by: "mara",
    checked_by: "",
    why: "",
    erratum: [],
    before: {},
    places: { "1:k": 1 },
    blocks: [
      {
        id: 1,
        kind: "prose",
        doc: said([{ type: "text", text: "It is " }, LIVE]),
        look: {},
        caption: "",
        rows: [],
        material: null,
      },
    ],
    cautions: [],
    accepted: [],
    files: [],
    numbers: [],
    ...more,
  };
}

const drawn = (of: PageOf) => renderToStaticMarkup(<Page page={of} css="" />);

test("whatever prose holds is text", () => {
  const doc = said([
    { type: "text", text: '<img src=x onerror="a()">' },
    { type: "text", text: "there", marks: [{ type: "link", attrs: { href: 'https://a.test/"><script>' } }] },
  ]);
  const html = renderToStaticMarkup(<Prose doc={doc} number={() => null} />);
  assert.ok(html.includes("&lt;img src=x"));
  assert.ok(!/<img|<script/.test(html));
});

test("a live number leads to what stands behind it, and says what it was", () => {
  const html = drawn(page({ number: 2, why: "A slip", before: { "1:k": "+9.0%" } }));
  assert.match(html, /<a class="number" href="numbers\.html#n1" title="Average fps: B over A">\+2\.0%<\/a>/);
  assert.match(html, /\(corrected, was \+9\.0%\)/);
});

test("a correction stands first, with another verdict named, and the way to the edition before", () => {
  const erratum = [{ key: "1:k", of: "B over A", before: "+9.0%", after: "−2.0%", flip: true }];
  const html = drawn(page({ number: 2, why: "A slip", erratum }));
  assert.ok(html.indexOf("Corrected on 30 November 2026") < html.indexOf("It is "));
  assert.match(html, /another verdict/);
  assert.match(html, /href="\/articles\/fins\/1\/"/);
  assert.ok(!drawn(page()).includes("Corrected on"));
});

test("who checked it is said, and that nobody did", () => {
  assert.match(drawn(page()), /By tomke, 30 November 2026\. Published without a second person’s check\./);
  assert.match(drawn(page({ checked_by: "mara" })), /Checked by mara\./);
});

test("what it goes out with is told with its reason, and that there is none", () => {
  const html = drawn(
    page({
      accepted: [
        { words: "2 passes are doubted.", why: "Looked at" },
        { words: "Old prices.", why: "" },
      ],
    }),
  );
  assert.match(html, /2 passes are doubted\. Looked at\./);
  assert.match(html, /Old prices\. Nobody gave a reason\./);
});

test("a page holds no script and fetches nothing", () => {
  const html = drawn(page());
  assert.ok(!/<script|<link|src=/.test(html));
});

test("a picture is drawn for wide pages and for phones, with its table", () => {
  const material = {
    study: { kind: "a_b" },
    findings: findings(),
    answer: null,
    readers: [],
  } as unknown as Schemas["MaterialOut"];
  const html = renderToStaticMarkup(<Looked kind="picture" material={material} look={{}} caption="" />);
  const boxes = [...html.matchAll(/viewBox="[-\d.]+ [-\d.]+ ([\d.]+)/g)].map((one) => Number(one[1]));
  assert.ok(boxes.some((width) => width > 1500) && boxes.some((width) => width < 900), `${boxes}`);
  assert.match(html, /<summary>The same in numbers/);
  assert.equal(html.match(/<title>/g)?.length, 2, "each says what it shows");
});

test("behind a number stand its passes with windows and hashes", () => {
  const sha256 = "ab".repeat(32);
  const passes = [
    {
      lane: "B",
      test: "Tin Orchard",
      number: 2,
      file: "b.csv",
      sha256,
      windows: [[1, 61]] as [number, number][],
    },
  ];
  const behind = {
    key: "1:k",
    of: "B over A",
    text: "+2.0%",
    interval: "+1.0% to +3.0%",
    value: 0.0201,
    name: "k",
    study: "Fins?",
    package: "study-1.zip",
    passes,
  };
  const html = renderToStaticMarkup(<Numbers page={page({ numbers: [behind] })} css="" />);
  for (const told of [
    'id="n1"',
    "0.0201",
    "+1.0% to +3.0%",
    "1 accepted pass of its lanes",
    "1 to 61",
    sha256,
  ])
    assert.ok(html.includes(told), told);
});

test("cautions stand on the page where something was tuned, and nowhere else", () => {
  assert.ok(!drawn(page()).includes("at home"));
  assert.match(drawn(page({ cautions: ["Stay within the limit."] })), /at home<\/h2><ul><li>Stay within/);
});
