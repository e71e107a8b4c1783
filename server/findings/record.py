"""A study's record as its findings are asked about: loaded once for each state of it, and every question is answered
from that.

The state is read off the rows themselves (see :func:`state_of`), so that no writer can forget to tell, whoever it is.
What was answered is kept with the record, also of finished studies, until their rows change.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from copy import copy
from dataclasses import replace
from functools import cache, cached_property
from types import MappingProxyType
from typing import Any, TypeVar

from bench.models import Part, Setting, SetupPart, SetupVersion
from django.db import connection
from django.db.models import BigIntegerField, Count, F, Func, QuerySet, Sum, Value
from django.db.models.sql.compiler import SQLCompiler
from doubting.models import CheckOff
from intake.models import Capture, Reported
from intake.queries import counted_passes
from planning.models import Acceptance, Plan
from planning.queries import rule_for
from problems import NotFound
from rennbahn import MEASURES_VERSION, comparing
from rennbahn.comparing import Block
from rennbahn.comparing.cells import Sheet
from rennbahn.comparing.groups import asked_group
from rennbahn.comparing.model import AVERAGE, low_figure
from rennbahn.inference.sessions import Between
from scenes.models import Condition, Game, Scene
from studies.models import BenchSession, Lane, Level, Pass, Study, StudyKind, Test
from studies.queries import groups_of, with_lanes_and_tests

from findings.facts import KINDS as ANSWERED
from findings.facts import aims_of, lanes_told, tests_told

T = TypeVar("T")

#: Kinds of figure in the answer, with the core's names of them.
KINDS = {"average": AVERAGE, "low_1": "low_1", "low_01": "low_0.1"}
#: So many studies are kept at hand, and so many answers of each: a magazine works on a few at a time.
_MOST_STUDIES = 12
_MOST_ANSWERS = 200


class StudyRecord:
    """One state of a study's record, laid out to be compared."""

    def __init__(self, study: Study) -> None:
        self.study = study
        self.lanes, self.tests = list(study.lanes.all()), list(study.tests.all())
        self.lane_names = {str(lane.pk): lane.name for lane in self.lanes}
        self.groups = groups_of(study)
        self.method = comparing.Method(
            study.equal_band,
            study.cell_school,
            study.low_school,
            study.suite_school,
            study.target_hz,
            rule_for(study),
            study.drift_allowance,
            None if study.between is None else Between(study.between),
        )
        self.figures = {
            key: kind if kind == AVERAGE else low_figure(kind[4:], study.low_school) for key, kind in KINDS.items()
        }
        counted = counted_passes(study)
        self.passes, self.medians = counted.passes, counted.medians
        self.hours_trouble, self.hours_unsaid = counted.trouble, counted.unsaid
        self.core = self._core()
        self.sheet = Sheet(self.core)
        self.lock = threading.RLock()
        self._blocks: dict[tuple[tuple[tuple[str, str], ...], str], Block] = {}
        self._answers: OrderedDict[Hashable, Any] = OrderedDict()
        #: With the lanes of other studies, by their ids.
        self.joins: dict[int, Any] = {}

    def beside(self) -> list[dict[str, Any]]:
        """Lanes of an older study that were taken along: none."""
        return []

    def _core(self) -> comparing.Study:
        """The study as the core answers it, with all that is told of lanes, tests and passes."""
        scenes = {test.scene_id: test.scene for test in self.tests}
        return comparing.Study(
            name=self.study.question,
            method=self.method,
            lanes=lanes_told(self.study, self.lanes),
            scenes=tuple(comparing.Scene(str(pk), scene.game.name, scene.name) for pk, scene in scenes.items()),
            tests=tests_told(self.study, self.tests),
            passes=tuple(self.passes),
            compare=(),
            kind=ANSWERED.get(StudyKind(self.study.kind), "a_b"),
            aims=aims_of(self.study, ()),
            group_words={group.key: group.words for group in self.groups},
        )

    @property
    def asked_group(self) -> str:
        """The group that is looked at first: the one that the question names, else the first."""
        words = {group.key: group.words for group in self.groups}
        return asked_group(words, self.study.question) or self.groups[0].key

    def with_passes(self, passes: Sequence[comparing.Pass]) -> Sheet:
        """The same study, were these its passes."""
        return Sheet(replace(self.core, passes=tuple(passes)))

    def otherwise(self, passes: Sequence[comparing.Pass]) -> StudyRecord:
        """The same record, were these its passes: nothing that was answered of this one is answered of it."""
        found = copy(self)
        found.__dict__.pop("pooled", None)
        found.passes, found.sheet = list(passes), self.with_passes(passes)
        found.core = found.sheet.study
        found.lock, found._blocks, found._answers, found.joins = threading.RLock(), {}, OrderedDict(), {}
        return found

    @cached_property
    def pooled(self) -> Sheet:
        """The sheet that answers of the study's kind stand on: a proxy check holds a benchmark against play, whatever
        both are told, so that its tests are of one group.
        """
        if self.study.kind != StudyKind.PROXY_CHECK:
            return self.sheet
        return Sheet(replace(self.core, tests=tuple(replace(test, group="") for test in self.core.tests)))

    def block(self, pairs: tuple[tuple[str, str], ...], group: str) -> Block:
        """Pairs of lanes in a group of tests, compared once."""
        with self.lock:
            if (pairs, group) not in self._blocks:
                self._blocks[pairs, group] = Block(self.sheet, pairs, group)
            return self._blocks[pairs, group]

    def answered(self, question: Hashable, make: Callable[[], T]) -> T:
        """What was answered before to a question, or what is made now and kept."""
        with self.lock:
            if question not in self._answers:
                self._answers[question] = make()
                while len(self._answers) > _MOST_ANSWERS:
                    self._answers.popitem(last=False)
            self._answers.move_to_end(question)
            found: T = self._answers[question]
            return found


class RowVersion(Func):
    """A number of a row that changes with every change of it: the transaction and the command that wrote it."""

    output_field = BigIntegerField()

    def __init__(self, key: str = "pk") -> None:
        super().__init__(F(key))

    def as_sql(self, compiler: SQLCompiler, *_: Any, **__: Any) -> tuple[str, tuple[str | int, ...]]:
        """The system columns of the row that the key is of."""
        (key,) = self.get_source_expressions()
        row = compiler.quote_name_unless_alias(key.alias)
        return f"({row}.xmin::text::bigint * 1009 + {row}.cmin::text::bigint)", ()


def _rows_of(study_id: int) -> list[QuerySet[Any]]:
    """All that the findings of a study depend on, by table."""
    lanes, tests = Lane.objects.filter(study=study_id), Test.objects.filter(study=study_id)
    versions = SetupVersion.objects.filter(lanes__study=study_id)
    scenes = Scene.objects.filter(tests__study=study_id)
    # Caveats also hold against each other what passes were run with, which lanes may have left since.
    run_with = Pass.objects.filter(test__study=study_id).values("setup_version")
    return [
        Study.objects.filter(pk=study_id), lanes, tests, Level.objects.filter(lane__study=study_id),
        Pass.objects.filter(test__study=study_id), Capture.objects.filter(on_pass__test__study=study_id),
        Reported.objects.filter(on_pass__test__study=study_id), BenchSession.objects.filter(study=study_id),
        Acceptance.objects.filter(study=study_id), Plan.objects.filter(study=study_id), versions,
        SetupPart.objects.filter(version__lanes__study=study_id),
        Setting.objects.filter(version__lanes__study=study_id),
        Part.objects.filter(setuppart__version__lanes__study=study_id), scenes,
        SetupPart.objects.filter(version__in=run_with), Setting.objects.filter(version__in=run_with),
        Part.objects.filter(setuppart__version__in=run_with),
        Game.objects.filter(scenes__tests__study=study_id), Condition.objects.filter(tests__study=study_id),
        Condition.objects.filter(lanes__study=study_id), CheckOff.objects.filter(study=study_id),
    ]  # fmt: skip


def state_of(study_id: int) -> str:
    """What state the record of a study is in, as text: another one as soon as any row that findings depend on is
    added, changed or gone. One query, which counts and sums and loads nothing. Empty where there is no such study.
    """
    sql, told = _state_query()
    with connection.cursor() as cursor:
        cursor.execute(sql, [study_id if one == _ANY else one for one in told])
        rows = sorted(cursor.fetchall())
    return repr((MEASURES_VERSION, rows)) if rows and rows[0][1] else ""


#: Stands for the id of a study in the query that is kept.
_ANY = -1


@cache
def _state_query() -> tuple[str, tuple[Any, ...]]:
    """The query and its parameters: writing it by the ORM takes longer than running it, so it is written once."""
    first, *others = (
        rows.order_by().values(of=Value(at)).annotate(rows=Count("pk"), versions=Sum(RowVersion()))
        for at, rows in enumerate(_rows_of(_ANY))
    )
    found: tuple[str, tuple[Any, ...]] = (
        first.union(*others, all=True).values_list("of", "rows", "versions").query.sql_with_params()
    )
    return found


_kept: OrderedDict[int, tuple[str, StudyRecord]] = OrderedDict()
_guard = threading.Lock()
_making: dict[int, threading.Lock] = {}


def forget() -> None:
    """Have every record loaded anew the next time it is asked for."""
    with _guard:
        _kept.clear()


#: Records as they would be, by study: what is asked meanwhile is answered of them.
_SUPPOSED: ContextVar[Mapping[int, StudyRecord]] = ContextVar("supposed", default=MappingProxyType({}))


@contextmanager
def supposed(study_id: int, record: StudyRecord) -> Iterator[None]:
    """Have every question about a study be answered as if this were its record, in this thread and for the while."""
    token = _SUPPOSED.set({**_SUPPOSED.get(), study_id: record})
    try:
        yield
    finally:
        _SUPPOSED.reset(token)


def record_of(study_id: int) -> StudyRecord:
    """The record of a study as it stands, loaded where it is another than last time. Raises :class:`NotFound`."""
    if study_id in _SUPPOSED.get():
        return _SUPPOSED.get()[study_id]
    with _guard:
        making = _making.setdefault(study_id, threading.Lock())
    # A page asks several questions at once: the first loads, the others wait for it.
    with making:
        state = state_of(study_id)
        with _guard:
            there = _kept.get(study_id)
        if there is None or there[0] != state:
            study = with_lanes_and_tests().filter(pk=study_id).first()
            if study is None:
                raise NotFound("study")
            there = (state, StudyRecord(study))
        with _guard:
            _kept[study_id] = there
            _kept.move_to_end(study_id)
            while len(_kept) > _MOST_STUDIES:
                gone, _ = _kept.popitem(last=False)
                _making.pop(gone, None)
    return there[1]
