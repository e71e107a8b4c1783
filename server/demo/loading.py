"""Loads the demo through the same services that people use."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import timedelta

import numpy as np
from bench.schemas import RigIn, SettingIn, SetupIn
from bench.services import add_part, save_rig
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import transaction
from intake.models import Arrival
from intake.queries import arrival_out
from intake.schemas import Assignment, ColumnMap, TakeIn
from intake.services import receive, take
from people.models import Person
from planning.services import call_ready, save_plan
from readers.services import save_reader
from rennbahn.simulation import Dialect, Rig, run_pass, write_log
from scenes.schemas import SceneIn
from scenes.services import add_condition, add_game, add_scene
from studies.deciding import change_pass
from studies.models import Lane, Pass, PassState, Study, Test
from studies.schemas import LaneIn, Method, StudyIn, TestIn
from studies.services import create_study, finish_study

from demo import answered, hardware, plans, scenario
from demo.scenario import Game, Happening, LaneScript, StudyScript

RIGS: dict[str, Callable[[Game], Rig]] = {
    scenario.FANS.question: scenario.quiet_rig,
    scenario.STICKS.question: scenario.one_stick_rig,
}


def load() -> bool:
    """Load the demo into an empty database, all or nothing. False where there are people already."""
    if User.objects.exists():
        return False
    with transaction.atomic():
        people = {name: _person(name, role) for name, role in scenario.PEOPLE}
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
    return True


def _person(name: str, role: str) -> User:
    user = User.objects.create_user(name, password=scenario.PASSWORD)
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
        self.columns: dict[int, ColumnMap] = {}

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
        for position, game in enumerate(script.games[: script.run]):
            for lane in lanes:
                self._run_cell(study, lane, tests[position], game)
        if script.finished:
            finish_study(self.lead, study.pk)

    def _run_cell(self, study: Study, lane: Lane, test: Test, game: Game) -> None:
        repeats = [n for (name, at, n) in self.happenings if (name, at) == (game.name, lane.position) and n > 3]
        arrived: list[tuple[Arrival, Happening]] = []
        for number in [1, 2, 3, *repeats]:
            happening = self.happenings.get((game.name, lane.position, number))
            happening = happening or Happening(game.name, lane.position, number)
            if happening.state == "did_not_run":
                one = Pass.objects.get(lane=lane, test=test, number=number)
                change_pass(self.tester, one.pk, PassState.DID_NOT_RUN, happening.reason)
            elif happening.state != "planned":
                arrived.append((self._hand_in(study, lane, game, happening), happening))
        self._take(study, lane, test, [(a, h) for a, h in arrived if h.state != "waiting"])

    def _hand_in(self, study: Study, lane: Lane, game: Game, happening: Happening) -> Arrival:
        # A seed of each pass's own: a study that grows by a game leaves the others as they were.
        place = [scenario.GAMES.index(game), lane.position, happening.number, len(self.script.question)]
        rng = np.random.default_rng([scenario.SEED, *place])
        rig = RIGS[self.script.question](game) if lane.position else scenario.STANDARD
        position = self.script.games.index(game)
        minutes = self.script.minutes(position, lane.position, happening.number)
        # The room and the machine warm over the day, and everything runs a little slower.
        slower = 1.0 - self.script.drift * minutes / 60.0
        rig = replace(rig, cpu_speed=rig.cpu_speed * slower, gpu_speed=rig.gpu_speed * slower)
        dialect: Dialect = self.script.dialects[lane.position]
        log = write_log(run_pass(game.demand, rig, rng, happening.upset), dialect)
        words = f"{lane.name} {game.name} {happening.number}".lower().replace(" ", "-")
        ended = self.script.began + timedelta(minutes=minutes)
        return receive(self.tester, study.pk, SimpleUploadedFile(f"{words}.csv", log), ended)

    def _take(self, study: Study, lane: Lane, test: Test, arrived: list[tuple[Arrival, Happening]]) -> None:
        columns = self.columns.get(lane.pk) or arrival_out(arrived[0][0]).columns
        if columns is None:
            raise RuntimeError(f"no column map is proposed for {arrived[0][0].name}")
        first, self.columns[lane.pk] = lane.pk not in self.columns, columns
        places = [Assignment(arrival_id=a.pk, lane_id=lane.pk, test_id=test.pk, number=h.number) for a, h in arrived]
        name = scenario.LOGGERS[lane.position] if first else ""
        taken = take(self.tester, study.pk, TakeIn(columns=columns, assignments=places, save_as=name))
        undecided = not self.script.finished and test.position >= self.script.run - 2
        for one, (_, happening) in zip(taken, arrived, strict=True):
            if one.pass_id is None:
                raise RuntimeError(f"{one.name} was refused: {one.refusal}")
            if happening.state == "rejected":
                change_pass(self.tester, one.pass_id, PassState.REJECTED, happening.reason)
            elif not undecided and happening.state != "recorded":
                change_pass(self.tester, one.pass_id, PassState.ACCEPTED)
