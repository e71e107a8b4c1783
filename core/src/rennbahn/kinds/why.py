"""Why a number is what it is: the passes it stands on, each formula with its numbers filled in, what was left out."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from rennbahn.comparing import Block
from rennbahn.comparing.cells import Sheet, median_factor
from rennbahn.comparing.margins import Margin
from rennbahn.comparing.model import ACCEPTED, CELL_SCHOOLS, SUITE_SCHOOLS, Method
from rennbahn.comparing.sentences import figure_words, listed, tests_words
from rennbahn.comparing.words import SCHOOL_WORDS, interval_words, level_words, measured_words, reason_words
from rennbahn.display import fixed, fps, percent, signed_percent
from rennbahn.kinds.fit import Fit, group_tests

_POOLS = {
    "own": "this scene’s passes alone",
    "moderated": "this scene’s passes, drawn towards what scenes have in common",
    "study": "the passes of all scenes, since this one has too few of its own",
}


@dataclass(frozen=True)
class Line:
    """A step of a derivation: what it gives, by which formula, with the numbers in it, and what is to be said of it."""

    what: str
    formula: str
    filled: str
    note: str = ""


@dataclass(frozen=True)
class PassShown:
    """A pass of a cell: its value in the figure, None where it has none, and why it does not count."""

    id: str
    value: float | None
    counts: bool
    reason: str


@dataclass(frozen=True)
class CellShown:
    """A lane in a test with all its passes."""

    lane: str
    test: str
    value: float | None
    passes: tuple[PassShown, ...]


@dataclass(frozen=True)
class Derivation:
    """How a number came to be. `value` is as it is shown; `left_out` are tests that took no part, with reasons."""

    of: str
    value: str
    lines: tuple[Line, ...]
    cells: tuple[CellShown, ...]
    left_out: tuple[str, ...]


def _typed(text: str) -> str:
    return text.replace("-", "−")


def _share(value: float) -> str:
    return f"{_typed(signed_percent(value))}%"


def _degrees(df: float) -> str:
    return f"{fixed(df, 1)} degrees of freedom" if math.isfinite(df) else "known for good"


def _freedom(df: float) -> str:
    return f"t of {_degrees(df)}" if math.isfinite(df) else "without scatter"


def _log(value: float) -> str:
    return _typed(fixed(value, 5))


class _Names:
    """Lanes and tests of a study by their names, and its passes by cell."""

    def __init__(self, sheet: Sheet) -> None:
        study = sheet.study
        scenes = {scene.id: f"{scene.game}, {scene.name}" for scene in study.scenes}
        self.sheet = sheet
        self.lane = {lane.id: lane.name for lane in study.lanes}
        self.test = {test.id: scenes[test.scene] for test in study.tests}

    def out(self, lane: str | None, reason: str, test: str | None = None) -> str:
        """Why a test takes no part, and to which lane that is due."""
        parts = [self.test[test] if test else "", self.lane.get(lane or "", "")]
        return ": ".join([*filter(None, parts), reason_words(reason)])

    def cells(self, wanted: Sequence[tuple[str, str]], figure: str) -> tuple[CellShown, ...]:
        """Cells by lane and test, each with every pass of it in the order they were run."""
        passes: dict[tuple[str, str], list[PassShown]] = {cell: [] for cell in wanted}
        for one in self.sheet.study.passes:
            if (one.lane, one.test) in passes:
                counts = one.status == ACCEPTED
                why = "" if counts else reason_words(one.status)
                passes[one.lane, one.test].append(PassShown(one.id, one.figures.get(figure), counts, why))
        return tuple(CellShown(*cell, self._value(*cell, figure), tuple(passes[cell])) for cell in wanted)

    def _value(self, lane: str, test: str, figure: str) -> float | None:
        where = self.sheet.figure_at.get(figure)
        if where is None:
            return None
        values = self.sheet.values(self.sheet.study.method.cell_school)[where]
        value = float(values[self.sheet.lane_at[lane], self.sheet.test_at[test]])
        return None if math.isnan(value) else value


def _no_figure(what: str, cells: tuple[CellShown, ...] = ()) -> Derivation:
    return Derivation(what, "no number", (), cells, ("no accepted pass reports this figure",))


def _interval_line(of: str, middle: float, t: float, error: float, ends: str, note: str) -> Line:
    """An interval in ln around a middle, with what its ends come to."""
    filled = f"{_log(middle)} ± {fixed(t, 3)} · {fixed(error, 5)}: {ends}"
    return Line("Interval", of, filled, note)


def _of_all(method: Method, df: float) -> str:
    return f"{level_words(method)}, {_freedom(df)}, noise from all lanes together"


def why_margin(sheet: Sheet, pair: tuple[str, str], figure: str, test: str) -> Derivation:
    """B over A in one test."""
    names = _Names(sheet)
    a, b = (names.lane[lane] for lane in pair)
    block = Block(sheet, (pair,), tests=[sheet.test_at[test]])
    what = f"{b} over {a}, {figure_words(figure)}"
    cells = names.cells([(lane, test) for lane in pair], figure)
    if figure not in sheet.figure_at:
        return _no_figure(what, cells)
    margin = block.margins(figure)[0]
    if margin.left_out is not None:
        return Derivation(what, "left out", (), cells, (names.out(margin.left_out.lane, margin.left_out.reason),))
    lines = [_cell_line(sheet.study.method, cell, names.lane[cell.lane]) for cell in cells]
    lines.append(
        Line("As measured", "B / A − 1", f"{fps(margin.b)} / {fps(margin.a)} − 1 = {_share(margin.raw_b_over_a)}")
    )
    drift = block.drift(figure)
    if drift is not None:
        later = float(block.pairing.later[sheet.figure_at[figure], 0, 0])
        lines.append(
            Line(
                "Drift of the bench", "(1 + as measured) · e^(−slope · hours) − 1",
                f"slope {_typed(fixed(drift.percent_per_hour, 2))}% an hour, {b} {fixed(abs(later), 2)} h "
                f"{'later' if later >= 0 else 'earlier'}: {_share(margin.b_over_a)}",
                f"allowed for: up to {percent(drift.allowance)}% an hour",
            )
        )  # fmt: skip
    lines += _spread_lines(sheet, block, margin, figure)
    return Derivation(what, _share(margin.b_over_a), tuple(lines), cells, ())


def _cell_line(method: Method, cell: CellShown, name: str) -> Line:
    counted = [one.value for one in cell.passes if one.counts and one.value is not None]
    school = SCHOOL_WORDS[method.cell_school]
    shown = ", ".join(fps(value) for value in counted)
    value = "–" if cell.value is None else fps(cell.value)
    return Line(name, school, f"{shown} → {value} fps")


def _spread_lines(sheet: Sheet, block: Block, margin: Margin, figure: str) -> list[Line]:
    noise, method = margin.noise, sheet.study.method
    if noise is None or noise.s is None or margin.interval is None:
        return [Line("Interval", "", "none", "no scene has two passes in a lane yet, so that nothing tells the noise")]
    where = sheet.figure_at[figure]
    school = CELL_SCHOOLS.index(method.cell_school)
    error, df = (float(x[0]) for x in block.pairing.error_and_df(school, where, 0))
    reach = float(block.pairing.reach(school, where, 0)[0])
    lanes = block.lane_noise(figure)
    factors = [float(median_factor(np.array([n]), method.cell_school)[0]) ** 2 for n in (margin.n_a, margin.n_b)]
    parts = " + ".join(
        f"{fixed(share * factor, 2)} / {n}"
        for share, factor, n in zip((lanes.a, lanes.b), factors, (margin.n_a, margin.n_b), strict=True)
    )
    unlike = "the lanes scatter unlike: each has its share" if (lanes.a, lanes.b) != (1.0, 1.0) else ""
    more = [float(part[where, 0, 0]) for part in (block.pairing.drift_var, block.pairing.session_var)]
    added = "".join(f" + {fixed(part, 8)}" for part in more if part > 0.0)
    bias = float(block.pairing.bias[where, 0, 0])
    quantile = reach / error if error else 0.0
    return [
        Line("Noise of a pass", "standard deviation of ln fps", f"{fixed(noise.s, 5)}, {_degrees(noise.df)}",
             _POOLS.get(noise.pool, noise.pool)),
        Line("Error of ln(B / A)", "√(s² · (h / passes of A + h / passes of B) + drift + sessions)",
             f"√({fixed(noise.s, 5)}² · ({parts})"
             f"{added}) = {fixed(error, 5)}", unlike),
        _interval_line("e^(ln(B / A) ± t · error) − 1", margin.log_ratio, quantile, error,
                       interval_words(margin.interval),
                       f"{level_words(method)}, {_freedom(df)}" + _held_words(bias)),
        Line("Verdict", f"even within {percent(method.equal_band)}% either way",
             f"{margin.verdict}{f', {margin.within} by less than the band' if margin.within else ''}",
             "could be chance among so many tests" if margin.could_be_chance else ""),
    ]  # fmt: skip


def _held_words(bias: float) -> str:
    """That a drift which the passes do not show widens the interval."""
    return f"; wider for a drift that may have moved it by {percent(math.expm1(bias))}%" if bias >= _SHOWS else ""


def why_suite(sheet: Sheet, pair: tuple[str, str], figure: str, group: str | None) -> Derivation:
    """B over A over the tests of a group."""
    names = _Names(sheet)
    a, b = (names.lane[lane] for lane in pair)
    what = f"{b} over {a}, {figure_words(figure)}"
    if figure not in sheet.figure_at:
        return _no_figure(what)
    block = Block(sheet, (pair,), group)
    suite, margins, method = block.suite(figure), block.margins(figure), sheet.study.method
    out = tuple(names.out(x.left_out.lane, x.left_out.reason, x.test) for x in margins if x.left_out is not None)
    if suite.margins is None or suite.measured is None:
        return Derivation(what, "no number", (), (), out)
    own = [one for one in margins if one.left_out is None]
    lines = [
        Line(names.test[one.test], "ln(B / A)", f"ln(1 {_added(one.b_over_a)}) = {_log(one.log_ratio)}") for one in own
    ]
    whole, school = suite.margins[method.suite_school], method.suite_school
    formula, filled = "over the tests above", _share(whole)
    if school == "geometric":
        total = math.fsum(one.log_ratio for one in own)
        formula, filled = "e^(sum / tests) − 1", f"e^({_log(total)} / {len(own)}) − 1 = {filled}"
    lines.append(Line(SCHOOL_WORDS[school].capitalize(), formula, filled))
    measured = suite.measured[school]
    if measured.interval is not None:
        low, high = (math.log1p(end) for end in measured.interval)
        df = measured.df if measured.df is not None else math.inf
        where = (SUITE_SCHOOLS.index(school), CELL_SCHOOLS.index(method.cell_school), sheet.figure_at[figure], 0)
        error = float(block.suites.errors.error[where])
        t = (high - low) / 2.0 / error if error else 0.0
        note = f"{level_words(method)}, {_freedom(df)}; {measured_words(suite, method)}"
        lines.append(
            _interval_line("e^(ln(1 + margin) ± t · error) − 1", math.log1p(whole), t, error,
                           interval_words(measured.interval), note)
        )  # fmt: skip
    others = ", ".join(f"{SCHOOL_WORDS[name]} {_share(value)}" for name, value in suite.margins.items())
    lines.append(Line("Schools", "every kind of mean", others, f"declared: {SCHOOL_WORDS[school]}"))
    lines.append(Line("Verdict", f"even within {percent(method.equal_band)}% either way", str(suite.verdict)))
    return Derivation(what, _share(whole), tuple(lines), (), out)


def why_level(sheet: Sheet, figure: str, lane: str, lanes: Sequence[str], group: str | None) -> Derivation:
    """A lane's mean over the tests that all of some lanes have, in fps: a rung, a step, a place.

    Of those lanes some may have no result here: they stand aside, as they do in an answer.
    """
    names, tests = _Names(sheet), group_tests(sheet, group)
    what = f"{names.lane[lane]}, {figure_words(figure)}"
    asked = [sheet.lane_at[one] for one in lanes]
    some = np.flatnonzero(Fit(sheet, figure, asked, tests).there.any(axis=1)).tolist()
    fit = Fit(sheet, figure, [asked[at] for at in some], tests)
    common, out = fit.common(), tuple(names.out(one.lane, one.reason, one.test) for one in fit.left_out())
    if not common.any() or sheet.lane_at[lane] not in fit.lanes:
        return Derivation(what, "no number", (), (), out)
    row = fit.lanes.tolist().index(sheet.lane_at[lane])
    found = fit.weighed(fit.lane_weights(common)[row][None])
    at = np.flatnonzero(common).tolist()
    cells = names.cells([(lane, _test_id(fit, t)) for t in at], figure)
    lines = []
    for cell, t in zip(cells, at, strict=True):
        log = float(fit.log[row, t])
        off = log - math.log(float(fit.value[row, t]))
        note = f"set right for drift by {_share(math.expm1(off))}" if abs(off) >= _SHOWS else ""
        told = _cell_line(sheet.study.method, cell, names.test[cell.test])
        lines.append(Line(told.what, told.formula, f"{told.filled}, ln {_log(log)}", note))
    middle, error, df = (float(x[0]) for x in (found.middle, found.error, found.df))
    value, low, high = found.one(fit.level).rate()
    lines.append(
        Line("Geometric mean", "e^(sum of ln / tests)", f"e^({_log(middle * len(at))} / {len(at)}) = {fps(value)} fps",
             f"over the {tests_words(len(at))} that all {len(fit.lanes)} lanes have")
    )  # fmt: skip
    if low is not None and high is not None:
        quantile = float(found.reach(fit.level)[0]) / error if error else 0.0
        ends = f"{fps(low)} to {fps(high)} fps"
        lines.append(_interval_line("e^(mean ± t · error)", middle, quantile, error, ends, _of_all(fit.method, df)))
    return Derivation(what, f"{fps(value)} fps", tuple(lines), cells, out)


@dataclass(frozen=True)
class Contrast:
    """Lanes `plus` over lanes `minus`: the sum of the mean ln of the one less that of the other, by `per`.

    A margin of one lane over another, an effect over `per` pairs, or a ratio of ratios of four lanes. Of `at_once` of
    them the interval is held by each (Bonferroni).
    """

    plus: Sequence[str]
    minus: Sequence[str]
    per: int = 1
    at_once: int = 1


def why_contrast(sheet: Sheet, figure: str, of: Contrast, tests: Sequence[str], among: Sequence[str]) -> Derivation:
    """Lanes over lanes, over those of some tests that all the lanes `among` have."""
    names, lanes = _Names(sheet), [*of.plus, *of.minus]
    over = " over ".join(listed([names.lane[lane] for lane in side]) for side in (of.plus, of.minus))
    what = f"{over}, {figure_words(figure)}"
    numbers = [sheet.test_at[test] for test in tests]
    own = Fit(sheet, figure, [sheet.lane_at[lane] for lane in dict.fromkeys([*lanes, *among])], numbers)
    common, out = own.common(), tuple(names.out(one.lane, one.reason, one.test) for one in own.left_out())
    if not common.any():
        return Derivation(what, "no number", (), (), out)
    fit = Fit(sheet, figure, range(len(sheet.study.lanes)), numbers)
    weights = fit.lane_weights(common)[[sheet.lane_at[lane] for lane in lanes]]
    levels = fit.weighed(weights).middle.tolist()
    signs = np.array([1.0] * len(of.plus) + [-1.0] * len(of.minus))
    found = fit.weighed(np.einsum("n,nlt->lt", signs, weights)[None] / of.per)
    middle, error, df = (float(x[0]) for x in (found.middle, found.error, found.df))
    where = tests_words(int(common.sum()))
    lines = [
        Line(names.lane[lane], "mean of ln fps over the tests", f"{_log(level)}, {fps(math.exp(level))} fps", where)
        for lane, level in zip(lanes, levels, strict=True)
    ]
    added = "".join(f" {'+' if sign > 0 else '−'} {_log(x)}" for sign, x in zip(signs, levels, strict=True))
    by = f" / {of.per}" if of.per > 1 else ""
    whole = f"({added.removeprefix(' + ')}){by}"
    lines.append(Line("Ratio", f"e^(sum{by}) − 1", f"e^{whole} − 1 = {_share(math.expm1(middle))}"))
    level = fit.level / of.at_once
    low, high = found.one(level).share()[1:]
    if low is not None and high is not None:
        t = float(found.reach(level)[0]) / error if error else 0.0
        note = _of_all(fit.method, df) + (f", {of.at_once} held at once" if of.at_once > 1 else "")
        ends = interval_words((low, high))
        lines.append(_interval_line("e^(ln of the ratio ± t · error) − 1", middle, t, error, ends, note))
    at = [_test_id(own, t) for t in np.flatnonzero(common).tolist()]
    cells = names.cells(list(dict.fromkeys((lane, test) for test in at for lane in lanes)), figure)
    return Derivation(what, _share(math.expm1(middle)), tuple(lines), cells, out)


#: Less than this in ln is not told.
_SHOWS = 0.0005


def _test_id(fit: Fit, test: int) -> str:
    return str(fit.study.tests[fit.tests[test]].id)


def _added(share: float) -> str:
    """A share as it stands after `1`."""
    return f"{'−' if share < 0 else '+'} {percent(abs(share))}%"
