"""The simulated bench at work: it plays every run that begins in a simulated session and writes its files.

The files lie in a folder that the same program watches as on any test machine, and come in through the same door.
"""

from __future__ import annotations

import importlib.util
import os
import shutil
import sys
import time
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from pathlib import Path
from types import ModuleType
from typing import Any

import clock
from django.db import transaction
from django.utils import timezone
from people.links import link_machine, revoke_link
from people.models import BenchToken
from planning.queries import one_study
from rennbahn.simulation import Played, SimulatedBench
from rennbahn.simulation.program import write_whole
from studies.models import BenchSession, Pass

from running.models import BenchRun
from running.services import note_at_bench
from running.simulated import bench_of, wanted_of

#: A file has stopped growing after this: the simulated logger writes at once.
_SETTLE_S = 0.2
#: What a run that wrote no log says.
_SAYS = {"did_not_launch": "the game did not start", "crashed": "the game ended by itself"}


@dataclass
class _Sitting:
    """A simulated session that runs: its bench, its folder, and the program that watches it."""

    session: BenchSession
    bench: SimulatedBench
    folder: Path
    link: Any
    link_id: int
    played: set[int] = field(default_factory=set)
    #: Runs that are played and whose files are not written yet: when, and what.
    due: list[tuple[datetime, BenchRun, Played]] = field(default_factory=list)


class Player:
    """Plays all simulated sessions that run. `address` is the server's own, `folder` where files may be written."""

    def __init__(self, address: str, folder: Path) -> None:
        self.address, self.folder = address, folder
        self.sittings: dict[int, _Sitting] = {}
        self.program = _bench_link()

    def turn(self) -> bool:
        """One look at what there is to do; whether any simulated session runs."""
        open_ones = {one.pk: one for one in BenchSession.objects.filter(ended_at=None, simulated=True)}
        for pk in [pk for pk in self.sittings if pk not in open_ones]:
            self._leave(self.sittings.pop(pk))
        for pk, session in open_ones.items():
            if pk not in self.sittings:
                self.sittings[pk] = self._sit_down(session)
            self._play(self.sittings[pk])
        return bool(open_ones)

    def close(self) -> None:
        """Leave every bench."""
        for sitting in self.sittings.values():
            self._leave(sitting)
        self.sittings = {}

    def _sit_down(self, session: BenchSession) -> _Sitting:
        folder = self.folder / f"session-{session.pk}"
        folder.mkdir(parents=True, exist_ok=True)
        machine = session.machine
        if machine is None:
            raise RuntimeError(f"{session} is simulated at no machine")
        # One that was left behind by a worker that was ended is of no use: nobody knows its secret.
        BenchToken.objects.filter(machine=machine, revoked_at=None).update(revoked_at=timezone.now())
        made, token = link_machine(session.begun_by, machine)
        memory = self.program.Memory(self.folder / f"memory-{session.pk}")
        memory.load()
        link = self.program.Link([folder], self.address, token, memory, settle_s=_SETTLE_S)
        study = one_study(session.study_id)
        return _Sitting(session, bench_of(study, session), folder, link, made.pk)

    def _leave(self, sitting: _Sitting) -> None:
        revoke_link(sitting.session.begun_by, sitting.link_id)
        shutil.rmtree(sitting.folder, ignore_errors=True)

    def _play(self, sitting: _Sitting) -> None:
        session = sitting.session
        last = session.runs.order_by("-pk").first()
        if last is not None and last.pk not in sitting.played and not last.played:
            sitting.played.add(last.pk)
            one = Pass.objects.filter(pk=last.pass_id or 0).first()
            if one is not None:
                played = sitting.bench.play(wanted_of(session, one, last))
                sitting.due.append((last.began_at + timedelta(seconds=played.seconds / session.speed), last, played))
        now = clock.now()
        for due in [due for due in sitting.due if due[0] <= now]:
            sitting.due.remove(due)
            self._write(sitting, *due)
        sitting.link.look(time.monotonic())

    def _write(self, sitting: _Sitting, at: datetime, run: BenchRun, played: Played) -> None:
        """Write what the logger and the meter write, unless the run was broken off meanwhile."""
        if BenchRun.objects.filter(pk=run.pk, broken_off=True).exists():
            return
        name = f"run-{run.pk}"
        for suffix, content, after_s in ((".csv", played.log, 0.0), ("-meter.csv", played.meter, 2.0)):
            if content is not None:
                path = sitting.folder / f"{name}{suffix}"
                write_whole(path, content)
                moment = at.timestamp() + after_s / sitting.session.speed
                os.utime(path, (moment, moment))
        with transaction.atomic():
            says = _SAYS.get(played.outcome, "")
            BenchRun.objects.filter(pk=run.pk).update(played=True, says=says)
            if says:
                words = f"the simulated bench: {says}"
                note_at_bench(sitting.session, sitting.session.driver, words, run.pass_id)


def _bench_link() -> ModuleType:
    """The program for test machines, as it lies in the repository."""
    path = Path(__file__).parents[2] / "bench_link" / "bench_link.py"
    spec = importlib.util.spec_from_file_location("bench_link", path)
    if spec is None or spec.loader is None:
        raise RuntimeError(f"{path} cannot be loaded")
    module = importlib.util.module_from_spec(spec)
    sys.modules["bench_link"] = module
    spec.loader.exec_module(module)
    return module
