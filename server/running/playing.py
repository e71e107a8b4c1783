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

from django.db import transaction
from django.utils import timezone
from people.links import make_link, revoke_link
from planning.queries import one_study
from rennbahn.simulation import Played, SimulatedBench
from rennbahn.simulation.program import write_whole
from studies.models import BenchSession, Pass

from running.models import ActKind, RunAct
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
    due: list[tuple[datetime, RunAct, Played]] = field(default_factory=list)


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
        made, token = make_link(session.begun_by, f"simulated bench {session.pk}.{time.monotonic_ns()}", "")
        memory = self.program.Memory(self.folder / f"memory-{session.pk}")
        memory.load()
        link = self.program.Link([folder], self.address, token, memory, settle_s=_SETTLE_S, simulated=True)
        study = one_study(session.study_id)
        return _Sitting(session, bench_of(study, session), folder, link, made.pk)

    def _leave(self, sitting: _Sitting) -> None:
        revoke_link(sitting.session.begun_by, sitting.link_id)
        shutil.rmtree(sitting.folder, ignore_errors=True)

    def _play(self, sitting: _Sitting) -> None:
        session = sitting.session
        last = RunAct.objects.filter(session=session, kind=ActKind.BEGAN).order_by("-pk").first()
        if last is not None and last.pk not in sitting.played and not last.data.get("played"):
            sitting.played.add(last.pk)
            one = Pass.objects.filter(pk=last.pass_id or 0).first()
            if one is not None:
                played = sitting.bench.play(wanted_of(session, one, last))
                sitting.due.append((last.at + timedelta(seconds=played.seconds / session.speed), last, played))
        now = timezone.now()
        for due in [due for due in sitting.due if due[0] <= now]:
            sitting.due.remove(due)
            self._write(sitting, *due)
        sitting.link.look(time.monotonic())

    def _write(self, sitting: _Sitting, at: datetime, act: RunAct, played: Played) -> None:
        """Write what the logger and the meter write, unless the run was broken off meanwhile."""
        broken = RunAct.objects.filter(
            session=sitting.session, pk__gt=act.pk, pass_id=act.pass_id,
            kind__in=(ActKind.ABORTED, ActKind.SKIPPED),
        )  # fmt: skip
        if broken.exists():
            return
        name = f"run-{act.pk}"
        for suffix, content, after_s in ((".csv", played.log, 0.0), ("-meter.csv", played.meter, 2.0)):
            if content is not None:
                path = sitting.folder / f"{name}{suffix}"
                write_whole(path, content)
                moment = at.timestamp() + after_s
                os.utime(path, (moment, moment))
        with transaction.atomic():
            locked = RunAct.objects.select_for_update().get(pk=act.pk)
            says = _SAYS.get(played.outcome, "")
            locked.data = {**locked.data, "played": True, "says": says}
            locked.save(update_fields=["data"])
            if says:
                words = f"the simulated bench: {says}"
                note_at_bench(sitting.session, sitting.session.driver, words, act.pass_id)


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
