"""Findings: the accepted passes of a study, compared by the core. All pairs of lanes and all groups in one answer."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from doubting.queries import caveats_of_checks
from intake.measuring import stale_count
from planning.fair import caveats_of
from problems import NotFound
from rennbahn import comparing
from rennbahn.comparing import Block
from rennbahn.comparing.cells import cell_value
from rennbahn.comparing.margins import Margin
from rennbahn.comparing.model import AVERAGE, CELL_SCHOOLS, SUITE_SCHOOLS
from rennbahn.comparing.pair_sentences import pair_sentence
from rennbahn.comparing.sentences import Naming
from rennbahn.comparing.suite import Suite
from rennbahn.comparing.verdicts import TURNED, VERDICTS
from rennbahn.comparing.words import (
    games_interval_words,
    level_sentence,
    level_words,
    measured_words,
    no_drift_words,
    reason_words,
    slow_drift_words,
    verdict_words,
)
from rennbahn.kinds.answer import sentence_parts
from rennbahn.plain import plain
from studies.models import COUNTING, NEEDS_REASON, Lane, Pass, PassState, Test
from studies.queries import group_key
from studies.schemas import Method

from findings.joining import looked_record
from findings.record import KINDS, StudyRecord


@dataclass(frozen=True)
class Asked:
    """What is looked at: one lane over another, in one group of tests, beside the lanes of an older study. None is the
    study's own choice.
    """

    baseline: int | None = None
    other: int | None = None
    group: str | None = None
    joined: int | None = None


def findings_of(study_id: int, asked: Asked = Asked()) -> dict[str, Any]:
    """The findings of a study as plain data of the form of `FindingsOut`. Raises :class:`NotFound`."""
    record = looked_record(study_id, asked.joined)
    return record.answered(("findings", asked), lambda: Answer(record, asked).findings())


def answer_for(study_id: int, asked: Asked) -> Answer:
    """One lane over another of a study, laid out to be compared. Raises :class:`NotFound`."""
    return Answer(looked_record(study_id, asked.joined), asked)


class Answer:
    """One lane over another in one group of a study's tests: turns a comparison of the core into the API's answer."""

    def __init__(self, record: StudyRecord, asked: Asked) -> None:
        self.record, self.study, self.method = record, record.study, record.method
        self.lanes, self.all_tests, self.lane_names = record.lanes, record.tests, record.lane_names
        self.figures, self.groups, self.sheet = record.figures, record.groups, record.sheet
        self.passes, self.hours_trouble = record.passes, record.hours_trouble
        self.group = self._chosen_group(asked.group)
        self.baseline, self.other = self._chosen_lanes(asked)
        self.tests = [test for test in self.all_tests if group_key(test.condition) == self.group]
        self.pair = (str(self.baseline.pk), str(self.other.pk))

    @property
    def block(self) -> Block:
        """The pair in its group."""
        return self.record.block((self.pair,), self.group)

    def _chosen_group(self, wanted: str | None) -> str:
        keys = [group.key for group in self.groups]
        if wanted is not None and wanted not in keys:
            raise NotFound("group in this study")
        return wanted if wanted is not None else self.record.asked_group

    def _chosen_lanes(self, asked: Asked) -> tuple[Lane, Lane]:
        baseline = next((x for x in self.lanes if (x.pk == asked.baseline if asked.baseline else x.baseline)), None)
        others = [x for x in self.lanes if baseline is None or x.pk != baseline.pk]
        other = next((x for x in others if asked.other in (None, x.pk)), None)
        if baseline is None or other is None:
            raise NotFound("lane in this study")
        return baseline, other

    def findings(self) -> dict[str, Any]:
        """The whole answer."""
        study, found = self.study, self._tests()
        accepted = Counter((int(p.test), int(p.lane)) for p in self.passes if p.status == PassState.ACCEPTED)
        return {
            "study_id": study.pk,
            "question": study.question,
            "factor": study.factor,
            "state": study.state,
            "method": {name: getattr(study, name) for name in Method.model_fields},
            "groups": [group.dict() for group in self.groups],
            "group": self.group,
            "joined": self.record.beside(),
            "baseline": _lane_ref(self.baseline),
            "other": _lane_ref(self.other),
            **{key: self._suite(self.block, key) for key in KINDS},
            "by_group": [
                {"group": group.key}
                | {kind: self._brief(self.record.block((self.pair,), group.key), kind) for kind in KINDS}
                for group in self.groups
            ],
            # The same whichever pair is looked at.
            "pairs": self.record.answered("pairs", self._pairs),
            "tests": found,
            "levels": self._levels(found),
            "accepted_passes": sum(accepted[test.pk, lane.pk] for test in self.tests for lane in self.lanes),
            "rejected": self._rejected(),
            "missing": [
                {
                    "test_id": test.pk, "lane_id": lane.pk, "test": _test_words(test), "lane": lane.name,
                    "accepted": accepted[test.pk, lane.pk], "passes_wanted": test.passes_wanted,
                }
                for test in self.tests
                for lane in self.lanes
                if lane.study_id == study.pk and accepted[test.pk, lane.pk] < test.passes_wanted
            ],
            "caveats": [one.dict() for one in (*caveats_of(study), *caveats_of_checks(study.pk))],
            "interval_level": self.method.level,
            "interval_words": level_words(self.method),
            "level_sentence": level_sentence(self.method),
            "bench_drift": self._bench_drift(),
            "stale": stale_count(study.pk),
        }  # fmt: skip

    def _bench_drift(self) -> dict[str, Any]:
        """The slow drift of the bench in the leading figure, and what could be done about it."""
        figure = self.figures["average" if self.study.leading == AVERAGE else "low_1"]
        found = self.block.drift(figure) if figure in self.sheet.figure_at else None
        words = (
            slow_drift_words(found)
            if found
            else no_drift_words(self.method, self.hours_trouble, self.record.hours_unsaid)
        )
        return {
            "percent_per_hour": found.percent_per_hour if found else None,
            "low": found.low if found else None,
            "high": found.high if found else None,
            "trouble": self.hours_trouble if self.method.drift_allowance and self.passes else "",
            "words": words if self.passes else "",
        }

    def _tests(self) -> list[dict[str, Any]]:
        """Tests of the group from the largest margin of the leading figure to the smallest, what is left out last."""
        margins = {key: self._margins(figure) for key, figure in self.figures.items()}
        leading = "average" if self.study.leading == AVERAGE else "low_1"
        found = [
            {
                "test_id": test.pk, "game": test.scene.game.name, "scene": test.scene.name,
                "condition": test.condition.name, **{key: margins[key][at] for key in KINDS},
            }
            for at, test in enumerate(self.tests)
        ]  # fmt: skip
        return sorted(found, key=lambda test: _order(test[leading]))

    def _margins(self, figure: str) -> list[dict[str, Any]]:
        if figure not in self.sheet.figure_at:
            words = reason_words("not_tested")
            out = {"left_out": {"lane_id": None, "reason": "not_tested", "words": words}}
            return [_MARGIN | out for _ in self.tests]
        return [self._margin(one) for one in self.block.margins(figure)]

    def _margin(self, found: Margin) -> dict[str, Any]:
        if found.left_out is not None:
            return _MARGIN | {"left_out": self._left_out(found)}
        noise = found.noise
        low, high = found.interval or (None, None)
        return {
            "left_out": None, "a": found.a, "b": found.b, "n_a": found.n_a, "n_b": found.n_b,
            "raw_b_over_a": found.raw_b_over_a, "drift_share": found.drift_share,
            "b_over_a": found.b_over_a, "a_over_b": found.a_over_b, "a_behind_b": found.a_behind_b,
            "low": low, "high": high, "verdict": found.verdict, "within": found.within,
            "words": verdict_words(found, self.baseline.name),
            "could_be_chance": found.could_be_chance, "further_passes": found.further_passes,
            "resolvable": found.resolvable,
            "noise": {"floor_percent": noise.floor_percent, "df": noise.df, "pool": noise.pool} if noise else None,
        }  # fmt: skip

    def _left_out(self, found: Margin) -> dict[str, Any]:
        out = found.left_out
        assert out is not None  # noqa: S101
        lane = int(out.lane) if out.lane else None
        name = {self.baseline.pk: self.baseline.name, self.other.pk: self.other.name}.get(lane or 0, "")
        words = reason_words(out.reason)
        return {"lane_id": lane, "reason": out.reason, "words": f"{name}: {words}" if name else words}

    def suites_with(self, passes: Sequence[comparing.Pass], *figures: str) -> list[Suite]:
        """The suites of the group in some figures, were these the passes."""
        sheet = self.record.with_passes(passes)
        block = Block(sheet, (self.pair,), self.group)
        return [block.suite(figure) if figure in sheet.figure_at else Suite(0, ()) for figure in figures]

    def suite_of(self, figure: str, block: Block | None = None) -> Suite:
        """The suite of a block, of the group in question without one, in one figure."""
        return (block or self.block).suite(figure) if figure in self.sheet.figure_at else Suite(0, ())

    def _suite(self, block: Block, key: str) -> dict[str, Any]:
        figure = self.figures[key]
        suite = self.suite_of(figure, block)
        elsewhere = {one.key: self.record.block((self.pair,), one.key) for one in self.groups if one.key != self.group}
        sentence = pair_sentence(block, figure, Naming.of(self.sheet.study), elsewhere)
        base = _SUITE | {"figure": figure, "sentence": sentence_parts(sentence)}
        if suite.margins is None or suite.measured is None or suite.spread is None:
            return base | {"tests": suite.tests}
        low, high = suite.measured[self.method.suite_school].interval or (None, None)
        games_low, games_high = suite.games_interval or (None, None)
        game_low, game_high = suite.single_game_interval or (None, None)
        influence, agreement = suite.influence, block.agreement(KINDS[key])
        mover = influence.largest_mover if influence else None
        spread = suite.spread
        return base | {
            "tests": suite.tests,
            "games": suite.games,
            "margin": suite.margins[self.method.suite_school],
            "margins": suite.margins,
            "low": low, "high": high, "games_low": games_low, "games_high": games_high,
            "single_game_low": game_low, "single_game_high": game_high,
            "basis_words": measured_words(suite, self.method),
            "games_words": games_interval_words(suite),
            "verdict": suite.verdict,
            "within": suite.within,
            "drift": plain(suite.drift) if suite.drift else None,
            "verdicts": suite.verdicts or {},
            "beyond": spread.beyond,
            "wins": spread.wins, "losses": spread.losses, "even": spread.even, "open": spread.open,
            "median_margin": spread.median_margin,
            "outliers": [int(test) for test in spread.outliers],
            "mover": {"test_id": int(mover), "without": influence.without[mover]} if mover and influence else None,
            "agreement": agreement.verdicts,
            "depends_on_method": agreement.depends_on_method,
        }  # fmt: skip

    def _brief(self, block: Block, key: str) -> dict[str, Any]:
        """A suite in a few numbers, for a row beside others."""
        columns = self._columns(block, key)
        return {name: values[0] for name, values in columns.items()}

    def _pairs(self) -> list[dict[str, Any]]:
        """Every lane over every lane before it, in each group, as columns. With two lanes there is but the one pair."""
        pairs = tuple((a.pk, b.pk) for i, a in enumerate(self.lanes) for b in self.lanes[i + 1 :])
        asked = tuple((str(a), str(b)) for a, b in pairs)
        return [
            {
                "group": group.key, "a": [a for a, _ in pairs], "b": [b for _, b in pairs],
                **{key: self._columns(block, key) for key in KINDS},
            }
            for group in self.groups
            for block in [self.record.block(asked, group.key)]
        ]  # fmt: skip

    def _columns(self, block: Block, key: str) -> dict[str, list[Any]]:
        count = len(block.pairs)
        at = self.sheet.figure_at.get(self.figures[key])
        if at is None:
            nothing = ("margin", "low", "high", "verdict", "reverse", "reverse_low", "reverse_high", "reverse_verdict")
            return {name: [None] * count for name in nothing} | {
                "tests": [0] * count, "depends_on_method": [False] * count,
            }  # fmt: skip
        suites = block.suites
        place = (SUITE_SCHOOLS.index(self.method.suite_school), CELL_SCHOOLS.index(self.method.cell_school), at)
        tests = suites.tests[at]
        middle, low, high = (x[place] for x in (suites.middle, suites.low, suites.high))
        depends = block.depends_on_method(KINDS[key]).tolist()
        words = [VERDICTS[code] if n else None for code, n in zip(suites.codes[place], tests, strict=True)]
        return {
            "margin": _numbers(np.expm1(middle)),
            "low": _numbers(np.expm1(low)),
            "high": _numbers(np.expm1(high)),
            "verdict": words,
            "reverse": _numbers(np.expm1(-middle)),
            "reverse_low": _numbers(np.expm1(-high)),
            "reverse_high": _numbers(np.expm1(-low)),
            "reverse_verdict": [TURNED.get(word or "", word) for word in words],
            "tests": tests.tolist(),
            "depends_on_method": depends,
        }

    def _levels(self, found: list[dict[str, Any]]) -> list[dict[str, Any]]:
        """Levels of each lane in each test, in the order of the findings."""
        medians = self.record.medians
        school = self.method.cell_school
        cells = {
            key: {(cell.test, cell.lane): cell for cell in self.sheet.cells(self.figures[key], school)}
            if self.figures[key] in self.sheet.figure_at
            else {}
            for key in ("average", "low_1")
        }
        levels = []
        for test in found:
            shown = test["average"]["left_out"] is None
            for lane in self.lanes:
                place = (str(test["test_id"]), str(lane.pk))
                average, low = cells["average"].get(place), cells["low_1"].get(place)
                counted = medians.get((test["test_id"], lane.pk))
                levels.append(
                    {
                        "lane_id": lane.pk, "test_id": test["test_id"],
                        "average": average.value if average and shown else None,
                        "median": cell_value(counted, school) if counted and shown else None,
                        "low_1": low.value if low else None,
                        "passes": low.n if low else 0,
                    }
                )  # fmt: skip
        return levels

    def _rejected(self) -> list[dict[str, Any]]:
        names = {test.pk: _test_words(test) for test in self.all_tests}
        lanes = {lane.pk: lane.name for lane in self.lanes}
        out = Pass.objects.filter(test__in=self.tests, state__in=NEEDS_REASON, role__in=COUNTING).order_by(
            "test__position", "lane__position", "number"
        )
        return [
            {
                "pass_id": p.pk, "test_id": p.test_id, "lane_id": p.lane_id, "number": p.number, "state": p.state,
                "reason": out_words(p.reason_code, p.reason), "test": names[p.test_id], "lane": lanes[p.lane_id],
            }
            for p in out
        ]  # fmt: skip


def out_words(code: str, words: str) -> str:
    """Why a pass is out: its reason in words, and what was added to it."""
    if code in ("", "other"):
        return words
    return f"{reason_words(code)}: {words}" if words else reason_words(code)


#: What a margin and a suite say where there is nothing to say.
_MARGIN: dict[str, Any] = {
    "left_out": None, "a": None, "b": None, "n_a": 0, "n_b": 0, "raw_b_over_a": None, "drift_share": None,
    "b_over_a": None, "a_over_b": None, "a_behind_b": None, "low": None, "high": None, "verdict": None,
    "within": None, "words": "", "could_be_chance": None,
    "further_passes": None, "resolvable": None, "noise": None,
}  # fmt: skip
_SUITE: dict[str, Any] = {
    "games": 0, "margin": None, "margins": {}, "low": None, "high": None, "games_low": None, "games_high": None,
    "single_game_low": None, "single_game_high": None, "basis_words": "",
    "games_words": "", "verdict": None, "within": None, "drift": None, "verdicts": {}, "beyond": {},
    "wins": 0, "losses": 0, "even": 0, "open": 0,
    "median_margin": None, "outliers": [], "mover": None, "agreement": {}, "depends_on_method": False,
}  # fmt: skip


def _numbers(values: Any) -> list[float | None]:
    return [None if np.isnan(value) else value for value in values.tolist()]


def _test_words(test: Test) -> str:
    return f"{test.scene.game.name}, {test.scene.name}"


def _order(margin: dict[str, Any]) -> tuple[bool, float]:
    """From the largest margin to the smallest, what was left out last."""
    return margin["b_over_a"] is None, -(margin["b_over_a"] or 0.0)


def _lane_ref(lane: Lane) -> dict[str, Any]:
    return {"id": lane.pk, "name": lane.name, "marker": lane.position}
