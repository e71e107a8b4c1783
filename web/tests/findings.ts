import type { Schemas } from "../src/api/client";

type Margin = Schemas["MarginOut"];

/** A margin with an interval of half a percent to either side. */
export function margin(share: number | null, more: Partial<Margin> = {}): Margin {
  const there = share !== null;
  return {
    left_out: there ? null : { lane_id: 1, reason: "capped", words: "plain fins: capped" },
    a: there ? 100 : null,
    b: there ? 100 * (1 + share) : null,
    n_a: 3,
    n_b: 3,
    b_over_a: share,
    a_over_b: there ? 1 / (1 + share) - 1 : null,
    a_behind_b: there ? 1 - 1 / (1 + share) : null,
    low: there ? share - 0.005 : null,
    high: there ? share + 0.005 : null,
    verdict: there ? (share > 0 ? "ahead" : "behind") : null,
    words: there ? (share > 0 ? "ahead of plain fins" : "behind plain fins") : "",
    could_be_chance: false,
    further_passes: null,
    resolvable: 0.01,
    noise: { floor_percent: 0.4, df: 12, pool: "study" },
    ...more,
  };
}

function sentence(text: string): Schemas["SentenceOut"] {
  const [, before = text, answer = "", after = "", basis = ""] =
    /^(.*: )([\d.]+% ahead)( .*) \((.*)\)\.$/.exec(text) ?? [];
  return { before, answer, after, basis, but: "", otherwise: "", lacks: "", empty: false, text };
}

function suite(figure: string, text: string): Schemas["SuiteOut"] {
  return {
    figure,
    sentence: sentence(text),
    tests: 2,
    games: 2,
    margin: 0.02,
    margins: { geometric: 0.02 },
    low: 0.01,
    high: 0.03,
    games_low: null,
    games_high: null,
    games_words: "",
    basis_words: "from the noise of passes",
    verdict: "ahead",
    verdicts: { geometric: "ahead" },
    beyond: {},
    wins: 2,
    losses: 0,
    even: 0,
    open: 0,
    median_margin: 0.02,
    outliers: [],
    mover: null,
    agreement: {},
    depends_on_method: false,
  };
}

/** Findings of a made-up study of two tests, one of them with its average left out. */
export function findings(more: Partial<Schemas["FindingsOut"]> = {}): Schemas["FindingsOut"] {
  return {
    study_id: 7,
    question: "Do tall fins help?",
    joined: [],
    factor: "Cooler",
    state: "open",
    method: {
      leading: "average_fps",
      low_school: "percentile",
      suite_school: "geometric",
      cell_school: "mean",
      equal_band: 0.01,
      target_hz: 60,
      display_hz: null,
      display_variable: false,
      drift_allowance: 0.005,
      between: 0.003,
      between_why: "",
    },
    groups: [{ key: "typical|1440|high", words: "1440, high", intent: "typical", tests: 2, games: 2 }],
    group: "typical|1440|high",
    by_group: [],
    pairs: [],
    stale: 0,
    baseline: { id: 1, name: "plain fins", marker: 0 },
    other: { id: 2, name: "tall & <wide> fins", marker: 1 },
    average: suite(
      "average_fps",
      "Tall fins: 2.0% ahead of plain fins in average fps (95% interval +1.0% to +3.0%, 1 test).",
    ),
    low_1: suite(
      "low_1.percentile",
      "Tall fins: 1.0% ahead of plain fins in 1% low (95% interval +0.5% to +1.5%, 2 tests).",
    ),
    low_01: suite("low_0.1.percentile", "Nothing to compare yet in 0.1% low."),
    tests: [
      {
        test_id: 11,
        game: "Moss Republic",
        scene: "square",
        condition: "1440",
        average: margin(0.02),
        low_1: margin(-0.04),
        low_01: margin(-0.06),
      },
      {
        test_id: 12,
        game: "Paper Comets",
        scene: "stage 6",
        condition: "1440",
        average: margin(null),
        low_1: margin(0.01),
        low_01: margin(0.02),
      },
    ],
    levels: [],
    accepted_passes: 12,
    rejected: [],
    missing: [],
    caveats: [],
    interval_level: 0.05,
    interval_words: "95% interval",
    level_sentence: "",
    bench_drift: { percent_per_hour: null, low: null, high: null, trouble: "", words: "" },
    ...more,
  };
}
