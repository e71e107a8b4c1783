"""The demo's plans: a ladder that will not be done in time, a sweep, and the time the three comparisons were given."""

from __future__ import annotations

from datetime import UTC, date, datetime, time, timedelta

from bench.schemas import SettingIn, SetupIn
from bench.services import save_setup
from django.contrib.auth.models import User
from planning.building import fairness_of
from planning.fair import objections_out
from planning.queries import one_study
from planning.schemas import AcceptIn, PlanIn
from planning.services import accept_difference, call_ready, save_plan
from scenes.models import Scene
from studies.models import Study
from studies.schemas import LaneIn, Method, StudyIn, TestIn
from studies.services import create_study

from demo.hardware import CARDS, TURM, refs
from demo.scenario import GAMES, RECORDED

LADDER = "Which card does a dorm room need?"
READY = "Does a lower power limit show in the harbour?"
SWEEP = "How low can the power limit go before anyone notices?"
RESOLUTIONS = ("1080 high", "1440 high", "2160 high")
WATTS = (160, 140, 120, 100, 80)


def _next_monday() -> date:
    """The Monday after the coming days: plans are laid out from now on, so the demo's lie ahead."""
    today = datetime.now(UTC).date()
    return today + timedelta(days=7 - today.weekday() + (7 if today.weekday() > _FRIDAY else 0))


#: The ladder is wanted by Wednesday, the rest of the issue by Friday.
_FRIDAY = 4
MONDAY = _next_monday()
WEDNESDAY, FRIDAY = (datetime.combine(MONDAY + timedelta(days=days), time(18)) for days in (2, 4))
_DRIVERS = {"Ostrane": "Ostrane 42.0", "Tellur Werke": "Tellur 7.10"}


def plan(**changes: object) -> PlanIn:
    """A working week in the test room."""
    return PlanIn(**{"starts_on": MONDAY, "day_starts": time(9), "hours_a_day": 7.5, **changes})  # type: ignore[arg-type]


def _recorded() -> list[SettingIn]:
    return [SettingIn(name=name, value=value) for name, value in RECORDED]


def tell_ready(lead: User, rig_id: int) -> Study:
    """Six passes that nobody has run yet, called ready: to be run on the simulated bench."""
    lanes = [
        LaneIn(
            name=f"{watts} W",
            setup=SetupIn(
                name=f"Hollin Neun, {watts} W, fans standard",
                rig_id=rig_id,
                settings=[
                    SettingIn(name="Fan profile", value="standard"),
                    SettingIn(name="Power limit", value=f"{watts} W"),
                    SettingIn(name="Room", value="22 °C"),
                    *_recorded(),
                ],
            ),
        )
        for watts in (160, 110)
    ]
    study = create_study(
        lead,
        StudyIn(
            question=READY,
            factor="Power limit",
            lanes=lanes,
            tests=[TestIn(game="Ninth Ferry", scene="harbour at dusk", condition="1440 high")],
            method=Method(target_hz=60.0),
        ),
    )
    save_plan(lead, study.pk, plan(order="lane_by_lane"))
    call_ready(lead, study.pk)
    return study


def tell_ladder(lead: User, rig_id: int) -> Study:
    """Six cards at three resolutions: more than three afternoons hold."""
    lanes = [
        LaneIn(
            name=card.name,
            levels={"Graphics card": card.name},
            setup=SetupIn(
                name=f"{TURM}, {card.name}",
                rig_id=rig_id,
                parts=refs(card.name, _DRIVERS[card.maker]),
                settings=[SettingIn(name="Room", value="22 °C"), *_recorded()],
            ),
        )
        for card in CARDS
    ]
    told = [(game.name, game.scene) for game in GAMES]
    found = Scene.objects.select_related("game").order_by("pk")
    scenes = [scene for scene in found if (scene.game.name, scene.name) in told]
    late = {"Hush Parliament", "Salt Almanac", "Paper Comets"}
    first = {"Moss Republic", "Glass Caravan", "The Unlit Tram", "Orchard of Kites"}
    tests = [
        TestIn(
            game=scene.game.name,
            scene=scene.name,
            condition=resolution,
            priority=3 if scene.game.name in late else 1 if scene.game.name in first else 2,
        )
        for scene in scenes
        for resolution in RESOLUTIONS
    ]
    study = create_study(
        lead,
        StudyIn(
            kind="ladder", question=LADDER, factor="Graphics card", lanes=lanes, baseline=2, tests=tests,
            method=Method(target_hz=60.0),
        ),
    )  # fmt: skip
    accept_all(lead, study, {"part:driver": "Each maker's newest driver of September; a card runs with its own only."})
    save_plan(lead, study.pk, plan(order="lane_by_lane", deadline=WEDNESDAY, hours_a_day=5.0, margin=0.03))
    call_ready(lead, study.pk)
    return study


def tell_sweep(lead: User, rig_id: int) -> Study:
    """The living-room computer at five power limits."""
    lanes = [
        LaneIn(
            name=f"{watts} W",
            levels={"Power limit": f"{watts} W"},
            setup=SetupIn(
                name=f"Hollin Neun, power limit {watts} W",
                rig_id=rig_id,
                settings=[
                    SettingIn(name="Fan profile", value="standard"),
                    SettingIn(name="Power limit", value=f"{watts} W"),
                    SettingIn(name="Room", value="22 °C"),
                    *_recorded(),
                ],
            ),
        )
        for watts in WATTS
    ]
    scenes = Scene.objects.select_related("game").filter(leans_on__contains="card").order_by("pk")[:6]
    tests = [TestIn(game=scene.game.name, scene=scene.name, condition="1440 high") for scene in scenes]
    study = create_study(
        lead, StudyIn(kind="sweep", question=SWEEP, factor="Power limit", lanes=lanes, tests=tests)
    )  # fmt: skip
    save_plan(lead, study.pk, plan(order="by_game", deadline=FRIDAY, margin=0.01, most_passes=6))
    call_ready(lead, study.pk)
    return study


def accept_all(lead: User, study: Study, reasons: dict[str, str]) -> None:
    """Accept the differences named, as they stand."""
    whole = one_study(study.pk)
    for one in objections_out(whole, fairness_of(whole)):
        reason = reasons[one.key]
        accept_difference(lead, study.pk, AcceptIn(key=one.key, about=one.about, reason=reason))


def keep_setup(lead: User, name: str, rig_id: int, settings: dict[str, str]) -> None:
    """A setup on the bench that no study uses yet."""
    said = [SettingIn(name=key, value=value) for key, value in settings.items()]
    save_setup(lead, SetupIn(name=name, rig_id=rig_id, settings=said))
