"""Why a number is what it is: the passes it stands on, each formula with its numbers filled in, what was left out."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import stdtrit

from rennbahn.comparing import Block
from rennbahn.comparing.cells import Sheet, median_factor
from rennbahn.comparing.margins import Margin
from rennbahn.comparing.model import ACCEPTED, CELL_SCHOOLS, Method
from rennbahn.comparing.words import SCHOOL_WORDS, figure_words, interval_words, level_words, reason_words, tests_words
from rennbahn.display import fixed, fps, percent, signed_percent
from rennbahn.kinds.fit import Fit, of_figure

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


def why_margin(sheet: Sheet, pair: tuple[str, str], figure: str, test: str) -> Derivation:
    """B over A in one test."""
    names = {lane.id: lane.name for lane in sheet.study.lanes}
    a, b = (names[lane] for lane in pair)
    at = sheet.test_at[test]
    block = Block(sheet, (pair,), tests=[at])
    what = f"{b} over {a}, {figure_words(of_figure(figure))}"
    cells = tuple(_cell(sheet, lane, test, figure) for lane in pair)
    if figure not in sheet.figure_at:
        return Derivation(what, "no number", (), cells, ("no accepted pass reports this figure",))
    margin = block.margins(figure)[0]
    if margin.left_out is not None:
        lane = names.get(margin.left_out.lane or "", "")
        why = reason_words(margin.left_out.reason)
        return Derivation(what, "left out", (), cells, (f"{lane}: {why}" if lane else why,))
    lines = [_cell_line(sheet.study.method, cell, names[cell.lane]) for cell in cells]
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
    drift = float(block.pairing.drift_var[where, 0, 0])
    drifted = f" + {fixed(drift, 8)}" if drift > 0.0 else ""
    low, high = margin.interval
    quantile = reach / error if error else 0.0
    return [
        Line("Noise of a pass", "standard deviation of ln fps", f"{fixed(noise.s, 5)}, {_degrees(noise.df)}",
             _POOLS.get(noise.pool, noise.pool)),
        Line("Error of ln(B / A)", "√(s² · (1 / passes of A + 1 / passes of B) + drift)",
             f"√({fixed(noise.s, 5)}² · ({parts})"
             f"{drifted}) = {fixed(error, 5)}", unlike),
        Line("Interval", "e^(ln(B / A) ± t · error) − 1",
             f"{_log(math.log1p(margin.b_over_a))} ± {fixed(quantile, 3)} · {fixed(error, 5)}: "
             f"{interval_words((low, high))}", f"{level_words(method)}, {_freedom(df)}"),
        Line("Verdict", f"even within {percent(method.equal_band)}% either way",
             f"{margin.verdict}{f', {margin.within} by less than the band' if margin.within else ''}",
             "could be chance among so many tests" if margin.could_be_chance else ""),
    ]  # fmt: skip


def why_suite(sheet: Sheet, pair: tuple[str, str], figure: str, group: str | None) -> Derivation:
    """B over A over the tests of a group."""
    names = {lane.id: lane.name for lane in sheet.study.lanes}
    tests = {test.id: test for test in sheet.study.tests}
    scenes = {scene.id: f"{scene.game}, {scene.name}" for scene in sheet.study.scenes}
    a, b = (names[lane] for lane in pair)
    what = f"{b} over {a}, {figure_words(of_figure(figure))}"
    if figure not in sheet.figure_at:
        return Derivation(what, "no number", (), (), ("no accepted pass reports this figure",))
    block = Block(sheet, (pair,), group)
    suite, margins, method = block.suite(figure), block.margins(figure), sheet.study.method
    out = tuple(
        f"{scenes[tests[one.test].scene]}: {names.get(one.left_out.lane or '', '')} "
        f"{reason_words(one.left_out.reason)}".replace(":  ", ": ")
        for one in margins
        if one.left_out is not None
    )
    if suite.margins is None or suite.measured is None:
        return Derivation(what, "no number", (), (), out)
    own = [one for one in margins if one.left_out is None]
    lines = [
        Line(f"{scenes[tests[one.test].scene]}", "ln(B / A)", f"ln(1 {_typed(signed_percent(one.b_over_a))}%) = "
             f"{_log(one.log_ratio)}")
        for one in own
    ]  # fmt: skip
    whole, school = suite.margins[method.suite_school], method.suite_school
    if school == "geometric":
        total = math.fsum(one.log_ratio for one in own)
        lines.append(
            Line(SCHOOL_WORDS[school].capitalize(), "e^(sum / tests) − 1",
                 f"e^({_log(total)} / {len(own)}) − 1 = {_share(whole)}")
        )  # fmt: skip
    else:
        lines.append(Line(SCHOOL_WORDS[school].capitalize(), "over the tests above", _share(whole)))
    measured = suite.measured[school]
    if measured.interval is not None:
        low, high = (math.log1p(end) for end in measured.interval)
        reach = (high - low) / 2.0
        t = float(stdtrit(measured.df, 1.0 - method.level / 2.0)) if measured.df else 0.0
        df = "" if measured.df is None else f", {_freedom(measured.df)}"
        lines.append(
            Line("Interval", "e^(ln(1 + margin) ± t · error) − 1",
                 f"{_log(math.log1p(whole))} ± {fixed(t, 3)} · {fixed(reach / t if t else 0.0, 5)}: "
                 f"{interval_words(measured.interval)}",
                 f"{level_words(method)}{df}; from the noise of the passes and what is left of the drift")
        )  # fmt: skip
    others = ", ".join(f"{SCHOOL_WORDS[name]} {_share(value)}" for name, value in suite.margins.items())
    lines.append(Line("Schools", "every kind of mean", others, f"declared: {SCHOOL_WORDS[school]}"))
    lines.append(Line("Verdict", f"even within {percent(method.equal_band)}% either way", str(suite.verdict)))
    return Derivation(what, _share(whole), tuple(lines), (), out)


def why_level(sheet: Sheet, figure: str, lane: str, lanes: Sequence[str], group: str | None) -> Derivation:
    """A lane's mean over the tests that all of some lanes have, in fps: a rung, a step, a place."""
    names = {one.id: one.name for one in sheet.study.lanes}
    what = f"{names[lane]}, {figure_words(of_figure(figure))}"
    tests = [at for at, test in enumerate(sheet.study.tests) if group is None or test.group == group]
    fit = Fit(sheet, figure, [sheet.lane_at[one] for one in lanes], tests)
    common, row = fit.common(), list(lanes).index(lane)
    scenes = {scene.id: f"{scene.game}, {scene.name}" for scene in sheet.study.scenes}
    of_test = {test.id: scenes[test.scene] for test in sheet.study.tests}
    out = tuple(
        f"{of_test[one.test]}: {names.get(one.lane or '', '')} {reason_words(one.reason)}".replace(":  ", ": ")
        for one in fit.left_out()
    )
    if not common.any():
        return Derivation(what, "no number", (), (), out)
    weights = fit.lane_weights(common)[row][None]
    found = fit.weighed(weights)
    at = np.flatnonzero(common).tolist()
    cells = tuple(_cell(sheet, lane, sheet.study.tests[fit.tests[t]].id, figure) for t in at)
    lines = []
    for cell, t in zip(cells, at, strict=True):
        off = float(fit.log[row, t]) - math.log(float(fit.value[row, t]))
        note = f"set right for drift by {_share(math.expm1(off))}" if abs(off) >= _SHOWS else ""
        told = _cell_line(sheet.study.method, cell, of_test[cell.test])
        lines.append(Line(told.what, told.formula, f"{told.filled}, ln {_log(float(fit.log[row, t]))}", note))
    middle, error, df = (float(x[0]) for x in (found.middle, found.error, found.df))
    total = middle * len(at)
    value = math.exp(middle)
    lines.append(
        Line("Geometric mean", "e^(sum of ln / tests)", f"e^({_log(total)} / {len(at)}) = {fps(value)} fps",
             f"over the {tests_words(len(at))} that all {len(fit.lanes)} lanes have")
    )  # fmt: skip
    if not math.isnan(error):
        low, high = found.one(fit.level).rate()[1:]
        reach = float(found.reach(fit.level)[0])
        quantile = reach / error if error else 0.0
        lines.append(
            Line("Interval", "e^(mean ± t · error)",
                 f"{_log(middle)} ± {fixed(quantile, 3)} · {fixed(error, 5)}: "
                 f"{fps(low or 0.0)} to {fps(high or 0.0)} fps",
                 f"{level_words(fit.method)}, {_freedom(df)}, noise from all lanes together")
        )  # fmt: skip
    return Derivation(what, f"{fps(value)} fps", tuple(lines), cells, out)


def why_contrast(
    sheet: Sheet, figure: str, plus: Sequence[str], minus: Sequence[str], tests: Sequence[str], per: int = 1
) -> Derivation:
    """Lanes over lanes, over the tests that all of them have: the mean ln of the one less that of the other.

    It is the sum of the first less that of the second by `per`: a margin of one lane over another, an effect over `per`
    pairs, a ratio of ratios of four lanes.
    """
    names = {one.id: one.name for one in sheet.study.lanes}
    what = f"{_listed(plus, names)} over {_listed(minus, names)}, {figure_words(of_figure(figure))}"
    lanes = [*plus, *minus]
    fit = Fit(sheet, figure, range(len(sheet.study.lanes)), [sheet.test_at[test] for test in tests])
    own = Fit(sheet, figure, [sheet.lane_at[lane] for lane in lanes], [sheet.test_at[test] for test in tests])
    common, scenes = own.common(), {scene.id: f"{scene.game}, {scene.name}" for scene in sheet.study.scenes}
    of_test = {test.id: scenes[test.scene] for test in sheet.study.tests}
    out = tuple(f"{of_test[one.test]}: {names.get(one.lane or '', '')} {reason_words(one.reason)}".replace(":  ", ": ")
                for one in own.left_out())  # fmt: skip
    if not common.any():
        return Derivation(what, "no number", (), (), out)
    weights = fit.lane_weights(common)
    rows = [sheet.lane_at[lane] for lane in lanes]
    levels = fit.weighed(weights[rows]).middle.tolist()
    signs = [1.0] * len(plus) + [-1.0] * len(minus)
    mixed = sum((sign * weights[row] for sign, row in zip(signs, rows, strict=True)), np.zeros(weights.shape[1:]))
    found = fit.weighed(mixed[None] / per)
    middle, error, df = (float(x[0]) for x in (found.middle, found.error, found.df))
    over = tests_words(int(common.sum()))
    lines = [
        Line(names[lane], "mean of ln fps over the tests", f"{_log(level)}, {fps(math.exp(level))} fps", over)
        for lane, level in zip(lanes, levels, strict=True)
    ]
    parts = "".join(f" {'+' if sign > 0 else '−'} {_log(level)}" for sign, level in zip(signs, levels, strict=True))
    by = f" / {per}" if per > 1 else ""
    told = parts.removeprefix(" + ")
    whole = f"({told}){by}" if by else told
    lines.append(Line("Ratio", f"e^(sum{by}) − 1", f"e^({whole}) − 1 = {_share(math.expm1(middle))}"))
    if not math.isnan(error):
        low, high = found.one(fit.level).share()[1:]
        t = float(found.reach(fit.level)[0]) / error if error else 0.0
        lines.append(
            Line("Interval", "e^(ln of the ratio ± t · error) − 1",
                 f"{_log(middle)} ± {fixed(t, 3)} · {fixed(error, 5)}: {interval_words((low or 0.0, high or 0.0))}",
                 f"{level_words(fit.method)}, {_freedom(df)}, noise from all lanes together")
        )  # fmt: skip
    at = [own.study.tests[own.tests[t]].id for t in np.flatnonzero(common).tolist()]
    cells = tuple(_cell(sheet, lane, test, figure) for test in at for lane in lanes)
    return Derivation(what, _share(math.expm1(middle)), tuple(lines), cells, out)


def _listed(lanes: Sequence[str], names: Mapping[str, str]) -> str:
    return " and ".join(names[lane] for lane in lanes)


#: Less than this in ln is not told.
_SHOWS = 0.0005


def _cell(sheet: Sheet, lane: str, test: str, figure: str) -> CellShown:
    """A cell with every pass of it, in the order they were run."""
    passes = tuple(
        PassShown(
            one.id, one.figures.get(figure), one.status == ACCEPTED,
            "" if one.status == ACCEPTED else reason_words(one.status),
        )
        for one in sheet.study.passes
        if (one.lane, one.test) == (lane, test)
    )  # fmt: skip
    where = sheet.figure_at.get(figure)
    value = math.nan
    if where is not None:
        value = float(sheet.values(sheet.study.method.cell_school)[where][sheet.lane_at[lane], sheet.test_at[test]])
    return CellShown(lane, test, None if math.isnan(value) else value, passes)
