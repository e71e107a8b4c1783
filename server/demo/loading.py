"""Loads the demo through the same services that people use."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import timedelta

import numpy as np
from bench.schemas import RigIn, SettingIn, SetupIn
from bench.services import add_part, save_rig
from django.contrib.auth.hashers import make_password
from django.contrib.auth.models import User
from django.db import transaction
from intake.models import Arrival
from intake.services import keep_map
from people.models import Person
from planning.services import call_ready, save_plan
from readers.services import save_reader
from rennbahn.simulation import Rig, run_pass, write_log
from scenes.schemas import SceneIn
from scenes.services import add_condition, add_game, add_scene
from studies.deciding import change_pass, change_passes
from studies.models import Lane, Pass, PassState, Study, Test
from studies.schemas import LaneIn, Method, StudyIn, TestIn
from studies.services import create_study, finish_study

from demo import answered, articles, hardware, plans, scenario, tuned
from demo.scenario import Game, Happening, LaneScript, StudyScript
from demo.taking import Written, take_many

RIGS: dict[str, Callable[[Game], Rig]] = {
    scenario.FANS.question: scenario.quiet_rig,
    scenario.STICKS.question: scenario.one_stick_rig,
}


def load() -> bool:
    """Load the demo into an empty database, all or nothing. False where there are people already."""
    if User.objects.exists():
        return False
    with transaction.atomic():
        # One password for all, hashed once: that is slow on purpose.
        password = make_password(scenario.PASSWORD)
        people = {name: _person(name, role, password) for name, role in scenario.PEOPLE}
        lead, tester = people["mara"], people["tomke"]
        for part in hardware.PARTS:
            add_part(lead, part)
        for engine in hardware.ENGINES:
            add_game(lead, engine)
        for reader in scenario.READERS:
            save_reader(lead, reader)
        for game in scenario.GAMES:
            add_scene(lead, _scene(game))
        for scene in scenario.MORE_SCENES:
            add_scene(lead, scene)
        for condition in hardware.CONDITIONS:
            add_condition(lead, condition)
        neun, turm = (
            save_rig(lead, RigIn(name=name, parts=hardware.rig_parts(name))) for name in (hardware.NEUN, hardware.TURM)
        )
        plans.keep_setup(lead, "Hollin Neun, as delivered", neun.pk, dict(scenario.SETTINGS))
        plans.tell_ladder(lead, turm.pk)
        plans.tell_sweep(lead, neun.pk)
        plans.tell_ready(lead, neun.pk)
        for answered_script in answered.SCRIPTS:
            answered.tell(answered_script, lead, tester, {"small": neun.pk, "tower": turm.pk})
        for script in scenario.STUDIES:
            _Story(script, lead, tester, neun.pk).tell()
        articles.tell(lead, tester)
        tuned.tell(lead, tester)
    return True


def _person(name: str, role: str, password: str) -> User:
    user = User.objects.create(username=name, password=password)
    Person.objects.create(user=user, role=role)
    return user


def _scene(game: Game) -> SceneIn:
    return SceneIn(
        game=game.name,
        name=game.scene,
        kind=game.kind,
        leans_on=game.leans_on,
        warm_up_runs=0 if game.kind == "benchmark" else 1,
        warm_up="" if game.kind == "benchmark" else "Walk it once, until nothing is loaded any more.",
        length_s=int(game.demand.seconds),
        start=game.start,
        route=game.route,
        end=game.end,
    )


def _setup(lane: LaneScript, rig_id: int) -> SetupIn:
    settings = dict(scenario.SETTINGS) | lane.settings
    return SetupIn(
        name=f"{hardware.NEUN}, {lane.name}",
        rig_id=rig_id,
        parts=hardware.refs(*lane.swaps),
        settings=[SettingIn(name=setting, value=value) for setting, value in settings.items()],
    )


class _Story:
    """One study from its question to where the demo finds it."""

    def __init__(self, script: StudyScript, lead: User, tester: User, rig_id: int) -> None:
        self.script, self.lead, self.tester, self.rig_id = script, lead, tester, rig_id
        self.happenings = {(h.game, h.lane, h.number): h for h in script.happenings}

    def tell(self) -> None:
        """Create the study, run it as far as it goes, decide on its passes."""
        script = self.script
        study = create_study(
            self.lead,
            StudyIn(
                question=script.question,
                factor=script.factor,
                lanes=[LaneIn(name=lane.name, setup=_setup(lane, self.rig_id)) for lane in script.lanes],
                tests=[TestIn(game=g.name, scene=g.scene, condition=script.condition) for g in script.games],
                method=Method(target_hz=60.0),
            ),
        )
        plans.accept_all(self.lead, study, script.accepted)
        save_plan(self.lead, study.pk, plans.plan(deadline=plans.FRIDAY))
        call_ready(self.lead, study.pk)
        lanes, tests = list(study.lanes.all()), list(study.tests.select_related("scene__game", "condition"))
        run = [
            one
            for position, game in enumerate(script.games[: script.run])
            for lane in lanes
            for one in self._cell(lane, tests[position], game)
        ]
        files = [self._written(*one) for one in run if one[3].state not in ("planned", "did_not_run")]
        passes = take_many(self.tester, study.pk, files)
        self._decide(study, run, dict(zip(((f.lane_id, f.test_id, f.number) for f in files), passes, strict=True)))
        for lane in lanes:
            first = Arrival.objects.filter(capture__on_pass__lane=lane).order_by("pk").first()
            if first is not None:
                keep_map(self.tester, first, first.proposal["columns"], scenario.LOGGERS[lane.position])
        if script.finished:
            finish_study(self.lead, study.pk)

    def _cell(self, lane: Lane, test: Test, game: Game) -> list[tuple[Lane, Test, Game, Happening]]:
        """What happened in a cell, run by run."""
        repeats = [n for (name, at, n) in self.happenings if (name, at) == (game.name, lane.position) and n > 3]
        plain = [Happening(game.name, lane.position, number) for number in (1, 2, 3, *repeats)]
        return [(lane, test, game, self.happenings.get((game.name, lane.position, one.number), one)) for one in plain]

    def _written(self, lane: Lane, test: Test, game: Game, happening: Happening) -> Written:
        # A seed of each pass's own: a study that grows by a game leaves the others as they were.
        place = [scenario.GAMES.index(game), lane.position, happening.number, len(self.script.question)]
        rng = np.random.default_rng([scenario.SEED, *place])
        rig = RIGS[self.script.question](game) if lane.position else scenario.STANDARD
        minutes = self.script.minutes(self.script.games.index(game), lane.position, happening.number)
        # The room and the machine warm over the day, and everything runs a little slower.
        slower = 1.0 - self.script.drift * minutes / 60.0
        rig = replace(rig, cpu_speed=rig.cpu_speed * slower, gpu_speed=rig.gpu_speed * slower)
        log = write_log(run_pass(game.demand, rig, rng, happening.upset), self.script.dialects[lane.position])
        name = f"{lane.name} {game.name} {happening.number}.csv".lower().replace(" ", "-")
        ended = self.script.began + timedelta(minutes=minutes)
        return Written(name, log, lane.pk, test.pk, happening.number, ended, happening.state != "waiting")

    def _decide(
        self, study: Study, run: list[tuple[Lane, Test, Game, Happening]],
        passes: dict[tuple[int, int, int | None], int | None],
    ) -> None:  # fmt: skip
        """Decide on what was run, as people do: most of it counts, some is out with a reason, the last is undecided."""
        accepted: list[int] = []
        for lane, test, _, happening in run:
            pk = passes.get((lane.pk, test.pk, happening.number))
            undecided = not self.script.finished and test.position >= self.script.run - 2
            if happening.state == "did_not_run":
                one = Pass.objects.get(lane=lane, test=test, number=happening.number)
                change_pass(self.tester, one.pk, PassState.DID_NOT_RUN, happening.reason)
            elif pk is not None and happening.state == "rejected":
                change_pass(self.tester, pk, PassState.REJECTED, happening.reason)
            elif pk is not None and not undecided and happening.state != "recorded":
                accepted.append(pk)
        change_passes(self.tester, study.pk, accepted, PassState.ACCEPTED)
