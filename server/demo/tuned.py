"""Two tuning logs and a fit matrix: a power limit that went too low, memory that ends at its limit, nine litres.

Figures are of the simulated bench, from a seed.
"""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date

from bench.models import Part, Setup
from django.contrib.auth.models import User
from fitting.schemas import AttemptIn, MatrixIn
from fitting.services import add_attempt, save_matrix
from rennbahn.simulation.tuned import Knob, play
from studies.models import Lane, Test
from tuning.making import make_setup
from tuning.models import Log
from tuning.schemas import (
    ConclusionIn,
    LogIn,
    LogSettingIn,
    Outcome,
    QuickIn,
    ReadBackIn,
    StabilityIn,
    TunedStepIn,
)
from tuning.services import back_up, save_log
from tuning.stepping import add_pass, add_run, add_step, conclude, read_back

from demo import answered, hardware

POWER, MEMORY, NINE = (
    "How little power does the living-room card need?",
    "How far do the Kettle sticks go within what their maker states?",
    "Which card runs in nine litres?",
)
_MANUAL, _DAY = "maker’s manual, page 14", date(2026, 7, 3)
_CARD_SETTINGS = (
    LogSettingIn(name="Power limit", unit="W", kind="power", stock=160, resolution=5, harder="down", limit_low=90,
                 limit_high=170, limit_source=_MANUAL, limit_day=_DAY),
)  # fmt: skip
_MEMORY_SETTINGS = (
    LogSettingIn(name="Memory rate", unit="MT/s", kind="clock", stock=5600, resolution=200, harder="up",
                 limit_high=6400, limit_source="data sheet of the kit", limit_day=_DAY),
)  # fmt: skip


@dataclass(frozen=True)
class _Step:
    """A step: what was set, its stability runs (program, minutes, outcome), fps and W, and what it comes to."""

    set: dict[str, float]
    runs: Sequence[tuple[str, float, Outcome]]
    figures: tuple[float, float] | None = None
    words: str = ""
    after: int | None = None
    read_back: dict[str, float] = field(default_factory=dict)


_HOUR: Sequence[tuple[str, float, Outcome]] = (
    ("Kiln, heavy load", 45.0, "passed"),
    ("The Unlit Tram, depot", 20.0, "passed"),
)
_CARD_STEPS = (
    _Step({"Power limit": 160}, _HOUR, (83.4, 158.0)),
    _Step({"Power limit": 145}, _HOUR, (82.5, 143.5)),
    _Step({"Power limit": 130}, _HOUR, (81.2, 129.0)),
    _Step({"Power limit": 115}, _HOUR, (76.9, 114.3), "From here on the fan is hardly heard."),
    _Step({"Power limit": 100}, _HOUR, (70.8, 99.6)),
    _Step({"Power limit": 90}, (("Kiln, heavy load", 14.0, "crashed"),),
          words="Black picture; it came back after a restart."),
    _Step({"Power limit": 95}, _HOUR, (68.2, 94.7), "The one to keep for the quiet profile.", after=5),
)  # fmt: skip
_MEMORY_STEPS = (
    _Step({"Memory rate": 5600}, (("Sieve", 90.0, "passed"),), (112.4, 88.0)),
    _Step({"Memory rate": 5800}, (("Sieve", 90.0, "passed"),), (113.6, 88.4)),
    _Step({"Memory rate": 6000}, (("Sieve", 90.0, "passed"),), (114.7, 88.9)),
    _Step({"Memory rate": 6200}, (("Sieve", 90.0, "passed"),), (115.5, 89.4)),
    _Step({"Memory rate": 6400}, (("Sieve", 90.0, "passed"),), (116.0, 90.0), "It ends here: so says the maker."),
)  # fmt: skip


def tell(lead: User, tester: User) -> None:
    """Write them, after the studies whose lanes are rivals."""
    rival = Lane.objects.filter(study__question=answered.RANKED.question, name="Tellur 40").first()
    test = Test.objects.filter(study=rival.study_id).order_by("position").first() if rival else None
    card = _log(lead, POWER, "Ostrane V5 Kompakt", _CARD_SETTINGS, rival=(rival, test))
    _steps(tester, card, _CARD_STEPS, seed=11)
    failed, kept = (card.steps.get(number=number) for number in (6, 7))
    for step in (failed, kept):
        make_setup(lead, step.pk)
    memory = _log(lead, MEMORY, "Kettle 2 × 16 GB", _MEMORY_SETTINGS)
    back_up(tester, memory.pk)
    _steps(tester, memory, _MEMORY_STEPS, seed=12)
    _nine_litres(lead, tester)


def _log(
    lead: User, title: str, part: str, settings: Sequence[LogSettingIn],
    rival: tuple[Lane | None, Test | None] = (None, None),
) -> Log:  # fmt: skip
    lane, test = rival
    return save_log(
        lead,
        LogIn(
            title=title, part_id=Part.objects.get(name=part).pk, settings=list(settings),
            setup_id=Setup.objects.get(name="Hollin Neun, as delivered").pk,
            reset_words="Mains off, the small jumper beside the battery bridged for ten seconds (board manual, p. 31).",
            rival_lane_id=lane.pk if lane and test else None, rival_test_id=test.pk if lane and test else None,
        ),
    )  # fmt: skip


def _steps(tester: User, log: Log, steps: Sequence[_Step], seed: int) -> None:
    made: list[int] = []
    for number, told in enumerate(steps, start=1):
        after = made[told.after - 1] if told.after else None
        step = add_step(tester, log.pk, TunedStepIn(client_id=_id(log, number, "step"), set=told.set, after=after))
        made.append(step.pk)
        read_back(tester, step.pk, ReadBackIn(read_back=told.read_back or told.set))
        for at, (program, minutes, outcome) in enumerate(told.runs):
            add_run(
                tester, step.pk,
                StabilityIn(client_id=_id(log, number, f"run {at}"), program=program, minutes=minutes, outcome=outcome),
            )  # fmt: skip
        if told.figures is not None:
            # The noise of the simulated part around what this step gives and draws.
            noise = play(seed, {"clock": Knob("clock", 0.0, 1.0)}, {"clock": 0.0}, 1.0, number).passes
            fps = sum(one[0] for one in noise) / len(noise)
            watts = sum(one[1] for one in noise) / len(noise)
            for at, (rate, drawn, _, _) in enumerate(noise):
                w = told.figures[1] * drawn / watts
                add_pass(
                    tester, step.pk,
                    QuickIn(client_id=_id(log, number, f"pass {at}"), what="Ninth Ferry, harbour at dusk",
                            fps=round(told.figures[0] * rate / fps, 2), w=round(w, 1),
                            temperature_c=round(34 + w / 4.4, 1), hotspot_c=round(39 + w / 4.0, 1),
                            fan_rpm=round(420 + 6.4 * w), noise_dba=round(23 + w / 16, 1)),
                )  # fmt: skip
        if told.words:
            conclude(tester, step.pk, ConclusionIn(conclusion=told.words))


def _id(log: Log, number: int, what: str) -> uuid.UUID:
    return uuid.uuid5(uuid.NAMESPACE_URL, f"{log.title} {number} {what}")


#: At which place, how it ended, after which changes, what was seen, the link.
_TRIED: Sequence[tuple[str, str, str, str, Sequence[str], str, tuple[int, int] | None]] = (
    (hardware.CASE, "Straight riser", "Ostrane V3", "works", (), "", (4, 8)),
    (hardware.CASE, "Straight riser", "Ostrane V5 Kompakt", "no_picture", (), "Fans turn, the display sleeps.", None),
    (hardware.CASE, "Straight riser", "Ostrane V5 Kompakt", "works", ("Fennik firmware 1.18",), "", (4, 8)),
    (hardware.CASE, "Straight riser", "Tellur 60", "limited", (), "The lid bulges by 3 mm.", (4, 8)),
    (hardware.CASE, "Bent riser", "Ostrane V5 Kompakt", "crashes", (), "Black picture under load, twice.", (4, 8)),
    (hardware.CASE, "Bent riser", "Ostrane V5 Kompakt", "limited", ("link set to generation 3",), "", (3, 8)),
    (hardware.CASE, "Bent riser", "Ostrane V3", "crashes", (), "Black picture after nine minutes.", (4, 8)),
    (hardware.TOWER, "Straight riser", "Tellur 80 Lang", "works", (), "", (4, 16)),
    (hardware.TOWER, "Straight riser", "Tellur 60", "works", (), "", (4, 16)),
)


def _nine_litres(lead: User, tester: User) -> None:
    ids = {part.name: part.pk for part in Part.objects.all()}
    cards = ("Ostrane V3", "Ostrane V5 Kompakt", "Tellur 60", "Tellur 80 Lang")
    matrix = save_matrix(
        lead,
        MatrixIn(
            title=NINE, rows_are="Cases", via_are="Risers", columns_are="Cards",
            rows=[ids[hardware.CASE], ids[hardware.TOWER]], via=[ids["Straight riser"], ids["Bent riser"]],
            columns=[ids[name] for name in cards],
        ),
    )  # fmt: skip
    for number, (case, riser, card, outcome, changed, seen, link) in enumerate(_TRIED):
        add_attempt(
            tester, matrix.pk,
            AttemptIn.model_validate(
                {
                    "client_id": uuid.uuid5(uuid.NAMESPACE_URL, f"{NINE} {number}"), "row": ids[case],
                    "via": ids[riser], "column": ids[card], "outcome": outcome, "changed": list(changed),
                    "seen": seen, "generation": link[0] if link else None, "lanes": link[1] if link else None,
                }
            ),
        )  # fmt: skip
