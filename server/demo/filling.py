"""Fills a scratch database with studies whose passes have figures but no frames: for looking at size, not at games."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime

import numpy as np
from bench.models import Part, Setup, SetupPart, SetupVersion
from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import OuterRef, Subquery
from intake.measuring import LOW_COLUMNS, basis_of, settings_for
from intake.models import AllFigures, Arrival, ArrivalState, Capture, CaptureFigures, FileRole, PassDoubt, PassFile
from people.models import Person, Role
from planning.noise import learn_all
from rennbahn import MEASURES_VERSION
from scenes.models import Condition, Game, Scene
from studies.deciding import run_as_of
from studies.models import Lane, Pass, PassState, Study, StudyKind, StudyState, Test

NAME = "filler"
PASSWORD = "a-scratch-database"  # noqa: S105
GAMES = 120
RESOLUTIONS = ("1080", "1440", "2160")
_BATCH = 2000
#: Every so many passes one is doubted, and why.
_DOUBTED = 10
_DOUBT = "Its average is 3.0% over the other 2 passes; noise is 0.8%. Run it again."
_RAN = datetime(2026, 1, 5, 10, tzinfo=UTC)


@dataclass(frozen=True)
class Shape:
    """A study by its size."""

    name: str
    lanes: int
    tests: int
    passes: int
    kind: str = StudyKind.LADDER
    planned: bool = False

    @property
    def total(self) -> int:
        """How many passes it has."""
        return self.lanes * self.tests * self.passes


#: Those that are looked at: a comparison, a ladder, a matrix, a plan that nobody has run yet, and an empty one to fill.
LOOKED_AT = (
    Shape("comparison", 2, 120, 5, StudyKind.A_B),
    Shape("ladder", 30, 36, 3),
    Shape("page", 6, 40, 3),
    Shape("matrix", 2, 400, 5, StudyKind.A_B),
    Shape("plan", 30, 36, 3, planned=True),
    Shape("import", 2, 100, 5, StudyKind.A_B, planned=True),
)
#: What an archive is made of, and what stands on the desk.
ARCHIVED = Shape("archived", 2, 120, 5, StudyKind.A_B)
ON_DESK = Shape("on the desk", 2, 10, 3, StudyKind.A_B)
STUDIES_ON_DESK = 30


def shapes_for(passes: int) -> Iterator[Shape]:
    """Studies of about so many passes together; those on the desk are the newest, whatever lies behind them."""
    left = passes - sum(shape.total for shape in LOOKED_AT) - STUDIES_ON_DESK * ON_DESK.total
    yield from LOOKED_AT
    for _ in range(max(0, left // ARCHIVED.total)):
        yield ARCHIVED
    for _ in range(STUDIES_ON_DESK):
        yield ON_DESK


def fill(passes: int, seed: int) -> dict[str, int]:
    """Fill a database that nobody works in; the ids of the studies that are looked at, by name.

    Raises ValueError where there are people already.
    """
    if User.objects.exists():
        raise ValueError("there are people in this database: it is no scratch database")
    user = User.objects.create_user(NAME, password=PASSWORD)
    Person.objects.create(user=user, role=Role.LEAD)
    rng = np.random.default_rng(seed)
    scenes = _scenes()
    conditions = [Condition.objects.create(name=f"{name} high", resolution=name, preset="high") for name in RESOLUTIONS]
    setups = _setups(max(shape.lanes for shape in LOOKED_AT))
    ids: dict[str, int] = {}
    for number, shape in enumerate(shapes_for(passes)):
        with transaction.atomic():
            ids.setdefault(shape.name, _study(number, shape, user, scenes, conditions, setups, rng))
    learn_all()
    return ids


def _scenes() -> list[Scene]:
    games = Game.objects.bulk_create(Game(name=f"Invented game {n:03}") for n in range(GAMES))
    return Scene.objects.bulk_create(Scene(game=game, name="run", length_s=60) for game in games)


def _setups(count: int) -> list[SetupVersion]:
    made = []
    for number in range(count):
        setup = Setup.objects.create(name=f"Box {number:02}")
        version = SetupVersion.objects.create(setup=setup, number=1, frozen=True)
        for kind, name in (("card", f"Card {number:02}"), ("driver", f"Driver {number % 3}"), ("memory", "Kit 32")):
            part, _ = Part.objects.get_or_create(kind=kind, name=name)
            SetupPart.objects.create(version=version, part=part)
        made.append(version)
    return made


def _study(
    number: int,
    shape: Shape,
    user: User,
    scenes: list[Scene],
    conditions: list[Condition],
    setups: list[SetupVersion],
    rng: np.random.Generator,
) -> int:
    study = Study.objects.create(
        kind=shape.kind, question=f"Filled study {number}, {shape.name}", factor="Graphics card", created_by=user,
        passes_wanted=shape.passes, state=StudyState.FINISHED if shape is ARCHIVED else StudyState.OPEN,
    )  # fmt: skip
    lanes = Lane.objects.bulk_create(
        Lane(study=study, position=n, name=f"card {n:02}", setup_version=setups[n], baseline=n == 0)
        for n in range(shape.lanes)
    )
    # Of a small study as many games as it has tests; of a large one every game at several resolutions.
    games = min(len(scenes), shape.tests if shape.lanes == 2 else shape.tests // len(conditions))
    tests = Test.objects.bulk_create(
        Test(
            study=study, position=n, scene=scenes[n % games], condition=_condition(n // games, conditions),
            passes_wanted=shape.passes,
        )
        for n in range(shape.tests)
    )  # fmt: skip
    _passes(study, shape, lanes, tests, user, rng)
    return study.pk


def _condition(number: int, conditions: list[Condition]) -> Condition:
    """The conditions in turn, and further presets once they are used up."""
    if number < len(conditions):
        return conditions[number]
    found, _ = Condition.objects.get_or_create(name=f"preset {number}", resolution="1440", preset=f"preset {number}")
    return found


def _passes(
    study: Study, shape: Shape, lanes: list[Lane], tests: list[Test], user: User, rng: np.random.Generator
) -> None:
    told = {test.pk: run_as_of(lanes[0], test) for test in tests}
    state = PassState.PLANNED if shape.planned else PassState.ACCEPTED
    run = {} if shape.planned else {"recorded_at": _RAN, "ran_at": _RAN}
    passes = Pass.objects.bulk_create(
        [
            Pass(
                lane=lane, test=test, number=number + 1, state=state,
                setup_version=None if shape.planned else lane.setup_version,
                run_as=None if shape.planned else told[test.pk], **run,
            )
            for test in tests
            for lane in lanes
            for number in range(shape.passes)
        ],
        batch_size=_BATCH,
    )  # fmt: skip
    if shape.planned:
        return
    made = {"window": [None, None], "settings": settings_for(study, passes[0]), "samples": []}
    basis = basis_of(made)
    arrivals = Arrival.objects.bulk_create(
        [
            Arrival(study=study, name=f"{p.pk}.csv", size=1, sha256=f"{p.pk:064x}", by=user, state=ArrivalState.TAKEN)
            for p in passes
        ],
        batch_size=_BATCH,
    )
    captures = Capture.objects.bulk_create(
        [Capture(on_pass=p, arrival=a, columns={}, basis=basis) for p, a in zip(passes, arrivals, strict=True)],
        batch_size=_BATCH,
    )
    PassFile.objects.bulk_create(
        [PassFile(on_pass=c.on_pass, arrival=c.arrival, role=FileRole.FRAMES) for c in captures], batch_size=_BATCH
    )
    rows = CaptureFigures.objects.bulk_create(
        [_figures(capture, basis, rng) for capture in captures], batch_size=_BATCH
    )
    AllFigures.objects.bulk_create(
        [AllFigures(row=row, made_by=made, figures={}, curve=b"") for row in rows], batch_size=_BATCH
    )
    PassDoubt.objects.bulk_create(
        PassDoubt(on_pass=one, check_id="off_siblings", words=_DOUBT, evidence={"off": 0.03, "p": 0.002})
        for one in passes[::_DOUBTED]
    )
    own = CaptureFigures.objects.filter(capture=OuterRef("pk")).values("pk")[:1]
    Capture.objects.filter(arrival__study=study).update(current=Subquery(own))


def _figures(capture: Capture, basis: str, rng: np.random.Generator) -> CaptureFigures:
    one = capture.on_pass
    # Lanes and games differ by as much as cards and games do; passes scatter by a percent, lows by more.
    level = 60.0 * (1.0 + 0.02 * one.lane.position) * (1.0 + (one.test.position % 7) / 7.0)
    average = float(level * np.exp(rng.normal(0.0, 0.008)))
    lows = {column: float(0.7 * level * np.exp(rng.normal(0.0, 0.02))) for column in LOW_COLUMNS.values()}
    return CaptureFigures(
        capture=capture, version=MEASURES_VERSION, basis=basis, frames=int(60 * average), duration_s=60.0,
        average_fps=average, median_fps=average * 1.01, support=[36, 36, 12, 4, 4, 2], stutters=2, bound_by="gpu",
        cap="none", cap_name="", lock_fps=None, flags=[], **lows,
    )  # fmt: skip
