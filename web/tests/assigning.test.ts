import assert from "node:assert/strict";
import { test } from "vitest";
import { picturePages } from "../src/charts/MarginPicture";
import { testWords } from "../src/charts/margins";
import { outside } from "../src/charts/traces";
import type { Study } from "../src/model/study";
import { byPattern, chosen, clashes, placeRead, RIGHT, waits } from "../src/places/hand-in/assigning";
import { windowsOf } from "../src/places/passes/PassDialogs";
import * as M from "../src/places/plan/matrix";
import { fromPlain, pasted, plain } from "../src/places/plan/matrix";
import { findings } from "./findings";

const [first] = findings().tests;
assert.ok(first);

const study = {
  lanes_full: [
    { id: 1, name: "driver 12.4" },
    { id: 2, name: "driver 13.1" },
  ],
  tests_full: [
    { id: 7, game: "Verge 2", scene: "ring road", condition: "1440 high" },
    { id: 8, game: "Moss Republic", scene: "square", condition: "1440 high" },
    { id: 9, game: "Moss Republic", scene: "square", condition: "2160 high" },
  ],
} as unknown as Study;

test("a pattern says what each part of a name is", () => {
  assert.deepEqual(byPattern("{lane}_{game}_{pass}", "Driver-13.1_verge2_03.csv", study), {
    lane: "2",
    test: "7",
    number: "3",
  });
  assert.deepEqual(byPattern("{any} {pass}", "old driver run 1.csv.gz", study), { number: "1" });
  assert.deepEqual(byPattern("{game} {condition} run{pass}", "moss republic 2160-high run2.csv", study), {
    test: "9",
    number: "2",
  });
});

test("a pattern that fits a name in part, or several tests, says nothing", () => {
  assert.equal(byPattern("{lane}_{game}_{pass}", "driver 13.1 verge 2.csv", study), null);
  assert.equal(byPattern("{game} {pass}", "moss republic 1.csv", study), null, "two tests are of this game");
  assert.equal(byPattern("{lane} {pass}", "driver 1.csv", study), null, "no lane is called that");
  assert.equal(byPattern("plain text", "plain text.csv", study), null, "it says nothing of the place");
  assert.equal(byPattern("a+({pass})", "a+(4).csv", study)?.number, "4", "signs stand for themselves");
});

test("what is a guess waits, and what says the same pass clashes", () => {
  const file = { lane_id: 1, test_id: 7, number: 2, lane_guess: true, test_guess: false };
  const place = placeRead(file as Parameters<typeof placeRead>[0]);
  assert.deepEqual(place, { lane: "1", test: "7", number: "2", laneGuess: true, testGuess: false });
  assert.equal(waits(place), true);
  assert.equal(waits({ ...place, ...RIGHT }), false);
  assert.equal(waits({ ...place, ...RIGHT, test: "" }), true);
  assert.equal(waits({ ...place, ...chosen({ test: "8" }) }), true, "the lane is still a guess");
  assert.equal(waits({ ...place, ...chosen({ lane: "2" }) }), false);
  const same = { ...place, number: "02" };
  assert.deepEqual(
    [
      ...clashes([
        [4, place],
        [5, same],
        [6, { ...place, number: "" }],
      ]),
    ],
    [4, 5],
  );
});

test("windows are sent in the order of the capture, with a decimal comma or point", () => {
  const rows = [
    { from: "15,5", to: "20" },
    { from: "2,5", to: "10.25" },
  ];
  assert.deepEqual(windowsOf(rows), [
    [2.5, 10.25],
    [15.5, 20],
  ]);
});

test("what lies outside windows is drawn", () => {
  assert.deepEqual(outside([], 60), []);
  assert.deepEqual(
    outside(
      [
        [2, 10],
        [20, 60],
      ],
      60,
    ),
    [
      [0, 2],
      [10, 20],
    ],
  );
  assert.deepEqual(outside([[0, 70]], 60), []);
});

test("a pasted list is read line by line", () => {
  const known = [
    { game: "Moss Republic", name: "square" },
    { game: "Ninth Ferry", name: "harbour" },
    { game: "Ninth Ferry", name: "deck" },
  ];
  const found = pasted("moss republic\r\nNinth Ferry; deck\n\nVelvet Quarry\tfloor\nNinth Ferry\n", known);
  assert.deepEqual(found.rows, [
    { game: "Moss Republic", scene: "square" },
    { game: "Ninth Ferry", scene: "deck" },
    { game: "Velvet Quarry", scene: "floor" },
  ]);
  assert.deepEqual(found.unclear, ["Ninth Ferry"]);
});

test("a matrix is kept as plain data and comes back", () => {
  const matrix = M.addCondition(M.addScene(M.EMPTY, { game: "Moss", scene: "square" }), "1440 high");
  const back = fromPlain(JSON.parse(JSON.stringify(plain(matrix))));
  assert.deepEqual(M.testsOf(back), M.testsOf(matrix));
});

test("tests of one game are told apart by what differs, and by no more", () => {
  const own = (game: string, scene: string, condition: string) => ({
    ...first,
    game,
    scene,
    condition,
  });
  const all = [
    own("A", "run", "1080"),
    own("A", "run", "1440"),
    own("B", "x", "1080"),
    own("B", "y", "1080"),
  ];
  assert.deepEqual(
    [...all, own("C", "z", "1080")].map((one, _, list) => testWords(one, list)),
    ["A, 1080", "A, 1440", "B, x", "B, y", "C"],
  );
});

test("many tests are drawn on several pictures", () => {
  const many = (count: number) => ({
    ...findings(),
    tests: Array.from({ length: count }, () => first),
  });
  assert.deepEqual(
    [1, 24, 25, 120].map((count) => picturePages(many(count))),
    [1, 1, 2, 5],
  );
});
