"""Findings: the accepted passes of a study, compared by the core."""

from __future__ import annotations

import csv
import io
from collections import Counter
from dataclasses import replace

from intake.queries import counted_passes, measured
from planning.fair import caveats_of
from planning.queries import rule_for
from problems import NotFound
from rennbahn import comparing
from rennbahn.comparing.cells import cell_value
from rennbahn.comparing.margins import Margin
from rennbahn.comparing.model import AVERAGE, low_figure
from rennbahn.comparing.study import StudyResult
from rennbahn.comparing.suite import Suite
from rennbahn.comparing.words import reason_words, suite_sentence, verdict_words
from rennbahn.display import fps, percent
from sheets import safe_cell
from studies.models import Lane, Pass, PassState, Study, Test
from studies.queries import with_lanes_and_tests
from studies.schemas import Method

from findings.schemas import (
    FindingsOut,
    LaneRef,
    LeftOut,
    LevelOut,
    MarginOut,
    MissingNote,
    Mover,
    NoiseOut,
    PassNote,
    SuiteOut,
    TestFinding,
)

_OUT_OF_COUNT = (PassState.REJECTED, PassState.DID_NOT_RUN)


def findings_of(study_id: int, baseline_id: int | None = None, other_id: int | None = None) -> FindingsOut:
    """The findings of a study: one lane over its own baseline, or over another lane as baseline.

    Without `other_id` it is the first lane that is not the baseline. Raises :class:`NotFound`.
    """
    study = with_lanes_and_tests().filter(pk=study_id).first()
    if study is None:
        raise NotFound("study")
    lanes, tests = list(study.lanes.all()), list(study.tests.all())
    baseline = next((x for x in lanes if (x.pk == baseline_id if baseline_id else x.baseline)), None)
    others = [x for x in lanes if baseline is None or x.pk != baseline.pk]
    other = next((x for x in others if other_id in (None, x.pk)), None)
    if baseline is None or other is None:
        raise NotFound("lane in this study")
    passes = counted_passes(study)
    method = comparing.Method(
        study.equal_band, study.cell_school, study.low_school, study.suite_school, study.target_hz
    )
    result = comparing.compare_study(_core_study(study, lanes, tests, passes, method, baseline, other))
    return _Writer(study, method, result, baseline, other).findings(tests, lanes, passes)


def findings_csv(study_id: int, baseline_id: int | None = None, other_id: int | None = None) -> str:
    """The margins of every test as CSV: levels, margins both ways round, interval, passes, verdict."""
    found = findings_of(study_id, baseline_id, other_id)
    a, b = found.baseline.name, found.other.name
    out = io.StringIO()
    sheet = csv.writer(out)
    sheet.writerow(
        [
            "game", "scene", "condition", "figure", f"{a} fps (baseline)", f"{b} fps", f"{b} over {a} %",
            "interval low %", "interval high %", f"{a} over {b} %", f"passes {a}", f"passes {b}", "verdict",
        ]
    )  # fmt: skip
    for test in found.tests:
        for name, margin in (("average fps", test.average), ("1% low", test.low_1), ("0.1% low", test.low_01)):
            where = [safe_cell(test.game), safe_cell(test.scene), safe_cell(test.condition), name]
            if margin.left_out is not None:
                sheet.writerow([*where, *[""] * 8, safe_cell(f"left out: {margin.left_out.words}")])
                continue
            shares = (margin.b_over_a, margin.low, margin.high, margin.a_over_b)
            over, low, high, under = ("" if share is None else percent(share) for share in shares)
            levels = [fps(level) if level is not None else "" for level in (margin.a, margin.b)]
            sheet.writerow([*where, *levels, over, low, high, under, margin.n_a, margin.n_b, safe_cell(margin.words)])
    for suite in (found.average, found.low_1, found.low_01):
        sheet.writerow(["all tests", "", "", suite.figure, *[""] * 8, safe_cell(suite.sentence)])
    for caveat in found.caveats:
        words = f"{caveat.label}: {caveat.about}: {caveat.reason}"
        sheet.writerow(["caveat", *[""] * 11, safe_cell(words)])
    return out.getvalue()


def _core_study(
    study: Study,
    lanes: list[Lane],
    tests: list[Test],
    passes: list[Pass],
    method: comparing.Method,
    baseline: Lane,
    other: Lane,
) -> comparing.Study:
    scenes = {test.scene_id: test.scene for test in tests}
    return comparing.Study(
        name=study.question,
        method=method,
        lanes=tuple(comparing.Lane(str(lane.pk), lane.name) for lane in lanes),
        scenes=tuple(comparing.Scene(str(pk), scene.game.name, scene.name) for pk, scene in scenes.items()),
        tests=tuple(comparing.Test(str(t.pk), str(t.scene_id), t.condition.name) for t in tests),
        passes=tuple(_core_pass(one) for one in passes),
        compare=((str(baseline.pk), str(other.pk)),),
    )


def _core_pass(one: Pass) -> comparing.Pass:
    headline, figures = measured(one)
    capped = bool(figures) and figures["limits"]["cap"]["state"] == "capped"
    return comparing.Pass(
        id=str(one.pk),
        lane=str(one.lane_id),
        test=str(one.test_id),
        status=one.state,
        flags=("capped",) if capped else (),
        figures=headline,
    )


class _Writer:
    """Turns a comparison of the core into the answer of the API."""

    def __init__(
        self, study: Study, method: comparing.Method, result: StudyResult, baseline: Lane, other: Lane
    ) -> None:
        self.study, self.method, self.result = study, method, result
        self.comparison = result.compare[0]
        self.rule = rule_for(study)
        self.baseline, self.other = baseline, other
        low = study.low_school
        self.figures = {"average": AVERAGE, "low_1": low_figure("1", low), "low_01": low_figure("0.1", low)}

    def findings(self, tests: list[Test], lanes: list[Lane], passes: list[Pass]) -> FindingsOut:
        found = [self._test(test) for test in tests]
        leading = "average" if self.study.leading == AVERAGE else "low_1"
        found.sort(key=lambda t: _order(getattr(t, leading)))
        names = {test.pk: f"{test.scene.game.name}, {test.scene.name}" for test in tests}
        lane_names = {lane.pk: lane.name for lane in lanes}
        accepted = Counter((p.test_id, p.lane_id) for p in passes if p.state == PassState.ACCEPTED)
        return FindingsOut(
            study_id=self.study.pk,
            question=self.study.question,
            factor=self.study.factor,
            state=self.study.state,
            method=Method(**{name: getattr(self.study, name) for name in Method.model_fields}),
            baseline=_lane_ref(self.baseline),
            other=_lane_ref(self.other),
            average=self._suite("average", "average_fps"),
            low_1=self._suite("low_1", "low_1"),
            low_01=self._suite("low_01", "low_0.1"),
            tests=found,
            levels=self._levels(found, lanes, passes),
            accepted_passes=sum(accepted.values()),
            rejected=[
                PassNote(
                    pass_id=p.pk, test_id=p.test_id, lane_id=p.lane_id, number=p.number, state=p.state,
                    reason=p.reason, test=names[p.test_id], lane=lane_names[p.lane_id],
                )
                for p in passes
                if p.state in _OUT_OF_COUNT
            ],
            missing=[
                MissingNote(
                    test_id=test.pk, lane_id=lane.pk, test=names[test.pk], lane=lane.name,
                    accepted=accepted[test.pk, lane.pk], planned=test.passes_wanted,
                )
                for test in tests
                for lane in lanes
                if accepted[test.pk, lane.pk] < test.passes_wanted
            ],
            caveats=caveats_of(self.study),
            stop_level=self.rule.level if self.rule else None,
        )  # fmt: skip

    def _levels(self, found: list[TestFinding], lanes: list[Lane], passes: list[Pass]) -> list[LevelOut]:
        """Levels of each lane in each test, in the order of the findings."""
        medians: dict[tuple[int, int], list[float]] = {}
        for run in passes:
            if run.state == PassState.ACCEPTED:
                medians.setdefault((run.test_id, run.lane_id), []).append(measured(run)[1]["rates"]["median_fps"])
        average, low = (
            {(cell.test, cell.lane): cell for cell in self.result.cells.get(self.figures[key], [])}
            for key in ("average", "low_1")
        )
        levels = []
        for test in found:
            for lane in lanes:
                place = (str(test.test_id), str(lane.pk))
                one, other = average.get(place), low.get(place)
                counted = medians.get((test.test_id, lane.pk))
                shown = test.average.left_out is None
                levels.append(
                    LevelOut(
                        lane_id=lane.pk,
                        test_id=test.test_id,
                        average=one.value if one and shown else None,
                        median=cell_value(counted, self.method.cell_school) if counted and shown else None,
                        low_1=other.value if other else None,
                        passes=other.n if other else 0,
                    )
                )
        return levels

    def _test(self, test: Test) -> TestFinding:
        margins = {key: self._margin(figure, str(test.pk)) for key, figure in self.figures.items()}
        return TestFinding(
            test_id=test.pk,
            game=test.scene.game.name,
            scene=test.scene.name,
            condition=test.condition.name,
            **margins,
        )

    def _margin(self, figure: str, test: str) -> MarginOut:
        found = next((m for m in self.comparison.tests.get(figure, ()) if m.test == test), None)
        if found is None:
            return MarginOut(left_out=LeftOut(lane_id=None, reason="not_tested", words=reason_words("not_tested")))
        if found.left_out is not None:
            return MarginOut(left_out=self._left_out(found))
        found = self._by_rule(found)
        noise = found.noise
        low, high = found.interval or (None, None)
        return MarginOut(
            left_out=None,
            a=found.a,
            b=found.b,
            n_a=found.n_a,
            n_b=found.n_b,
            b_over_a=found.b_over_a,
            a_over_b=found.a_over_b,
            a_behind_b=found.a_behind_b,
            low=low,
            high=high,
            verdict=found.verdict,
            words=verdict_words(found, self.baseline.name),
            could_be_chance=found.could_be_chance,
            further_passes=found.further_passes,
            resolvable=found.resolvable,
            noise=NoiseOut(floor_percent=noise.floor_percent, df=noise.df, pool=noise.pool) if noise else None,
        )

    def _by_rule(self, found: Margin) -> Margin:
        """Who looks after every pass makes more claims by chance: each must hold at the rule's stricter level."""
        if self.rule is None or found.could_be_chance is None or self.rule.holds(found.p):
            return found
        return replace(found, could_be_chance=True)

    def _left_out(self, found: Margin) -> LeftOut:
        out = found.left_out
        assert out is not None  # noqa: S101
        lane = int(out.lane) if out.lane else None
        name = {self.baseline.pk: self.baseline.name, self.other.pk: self.other.name}.get(lane or 0, "")
        words = reason_words(out.reason)
        return LeftOut(lane_id=lane, reason=out.reason, words=f"{name}: {words}" if name else words)

    def _suite(self, key: str, kind: str) -> SuiteOut:
        figure = self.figures[key]
        suite = self.comparison.suite.get(figure, Suite(0, ()))
        sentence = suite_sentence(suite, self.method, figure, self.baseline.name, self.other.name)
        agreement = self.comparison.agreement.get(kind)
        if suite.margins is None or suite.measured is None or suite.spread is None:
            return SuiteOut(figure=figure, sentence=sentence, tests=suite.tests)
        low, high = suite.measured[self.method.suite_school].interval or (None, None)
        games_low, games_high = suite.games_interval or (None, None)
        influence = suite.influence
        mover = influence.largest_mover if influence else None
        return SuiteOut(
            figure=figure,
            sentence=sentence,
            tests=suite.tests,
            margin=suite.margins[self.method.suite_school],
            margins=suite.margins,
            low=low,
            high=high,
            games_low=games_low,
            games_high=games_high,
            verdict=suite.verdict,
            verdicts=suite.verdicts or {},
            beyond=suite.spread.beyond,
            wins=suite.spread.wins,
            losses=suite.spread.losses,
            even=suite.spread.even,
            open=suite.spread.open,
            median_margin=suite.spread.median_margin,
            outliers=[int(test) for test in suite.spread.outliers],
            mover=Mover(test_id=int(mover), without=influence.without[mover]) if mover and influence else None,
            agreement=agreement.verdicts if agreement else {},
            depends_on_method=bool(agreement and agreement.depends_on_method),
        )


def _order(margin: MarginOut) -> tuple[bool, float]:
    """From the largest margin to the smallest, what was left out last."""
    return margin.b_over_a is None, -(margin.b_over_a or 0.0)


def _lane_ref(lane: Lane) -> LaneRef:
    return LaneRef(id=lane.pk, name=lane.name, marker=lane.position)
