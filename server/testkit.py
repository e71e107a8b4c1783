"""What the server's tests share: callers of every role, and a study that can be fed with captures."""

from __future__ import annotations

import io
import json
import time
import uuid
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from typing import Any

import clock
import numpy as np
from bench.schemas import PartEdit, RigEdit, SetupEdit
from demo.taking import Asked, Written, read_one, take_many
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from intake.reading import TakenIn
from people.models import Person
from PIL import Image
from planning.schemas import PlanEdit, SequenceIn
from procrastinate.contrib.django import app
from procrastinate.testing import InMemoryConnector
from rennbahn.simulation import Dialect, Rig, Scene, Upset, run_pass, write_log
from scenes.schemas import ConditionEdit, GameEdit, SceneEdit
from strict import Edit, In
from studies.deciding import change_passes
from studies.models import PassState

_EDITS: dict[str, type[Edit]] = {
    "parts": PartEdit, "rigs": RigEdit, "setups": SetupEdit, "games": GameEdit, "scenes": SceneEdit,
    "conditions": ConditionEdit,
}  # fmt: skip
PASSWORD = "a-long-enough-password"


def edit_body(kind: type[Edit], /, **given: Any) -> dict[str, Any]:
    """A whole body of a change, of which only some is given: the rest is as where something is made anew."""
    made = kind.__mro__[1]
    assert issubclass(made, In)
    defaults = {
        name: field.get_default(call_default_factory=True)
        for name, field in made.model_fields.items()
        if not field.is_required()
    }
    of_edits = dict.fromkeys(set(kind.model_fields) - set(made.model_fields))
    return {**of_edits, **json.loads(json.dumps(defaults, default=str)), "seen": "", **given}


def picture(form: str = "PNG", size: tuple[int, int] = (16, 9)) -> bytes:
    """A small picture."""
    out = io.BytesIO()
    Image.new("RGB", size, (30, 90, 110)).save(out, form)
    return out.getvalue()


PICTURE = picture()


@dataclass
class Caller:
    """Calls the API as one person would, and checks the status."""

    client: Client
    name: str = ""

    def call(self, method: str, path: str, body: Any = None, status: int = 200) -> Any:
        """The parsed answer, whose status must be the one expected."""
        extra = {} if body is None else {"data": json.dumps(body), "content_type": "application/json"}
        response = getattr(self.client, method.lower())(f"/api{path}", **extra)
        return self._read(response, status)

    def get(self, path: str, status: int = 200) -> Any:
        """Ask."""
        return self.call("GET", path, status=status)

    def post(self, path: str, body: Any = None, status: int = 200) -> Any:
        """Do."""
        return self.call("POST", path, {} if body is None else body, status)

    def put(self, path: str, body: Any = None, status: int = 200) -> Any:
        """Change."""
        return self.call("PUT", path, {} if body is None else body, status)

    def delete(self, path: str, status: int = 204) -> Any:
        """Take away."""
        return self.call("DELETE", path, status=status)

    def save(self, path: str, changes: Any, status: int = 200) -> Any:
        """Change some of what is there, as a page does: it loads the whole, and saves the whole with what it saw."""
        return self.put(path, {**self._now(path), **changes}, status)

    def _now(self, path: str) -> dict[str, Any]:
        """The body that would leave everything at an address as it is."""
        _, kind, key, *aspect = path.split("/")
        if kind == "studies" and aspect[0] == "plan":
            found = json.loads(self.client.get(f"/api/studies/{key}/plan").content)
            fields = SequenceIn.model_fields if aspect[1:] else PlanEdit.model_fields
            return {name: found.get(name, []) for name in fields}
        if kind == "studies":
            found = json.loads(self.client.get(f"/api/studies/{key}").content)
            asked = {name: found[name] for name in ("question", "factor", "second_factor")}
            body = {"question": asked, "method": found["method"], "tests": {}}[aspect[0]]
            return {**body, "seen": found["seen"][aspect[0]]}
        all_of_them = json.loads(self.client.get(f"/api/{kind}").content)
        found = next((one for one in all_of_them if one["id"] == int(key)), None)
        if found is None:
            return edit_body(_EDITS[kind])
        if kind in ("setups", "rigs"):
            parts = [part for part in found["parts"] if not found.get("rig_id") or part["swapped"]]
            found["parts"] = [{"kind": part["kind"], "name": part["name"]} for part in parts]
        return {name: found.get(name) for name in _EDITS[kind].model_fields}

    def hand_in(
        self, study: int, name: str, content: bytes, status: int = 201, *, written_at: datetime | None = None
    ) -> Any:
        """Hand in one file, which may say when it was written."""
        body: dict[str, Any] = {"file": SimpleUploadedFile(name, content)}
        if written_at is not None:
            body["written_at"] = written_at.isoformat()
        response = self.client.post(f"/api/studies/{study}/files", body)
        return self._read(response, status)

    def hand_picture(self, path: str, content: bytes, status: int = 200, name: str = "square.png") -> Any:
        """Hand in a picture."""
        return self._read(self.client.post(f"/api{path}", {"file": SimpleUploadedFile(name, content)}), status)

    def send_piece(self, pack: int, position: int, content: bytes, status: int = 200) -> Any:
        """Send one piece of a zip of many files."""
        body = {"file": SimpleUploadedFile("piece", content)}
        return self._read(self.client.post(f"/api/packs/{pack}/pieces/{position}", body), status)

    def hand_in_pack(
        self, study: int, content: bytes, status: int = 200, *, piece: int = 40_000, zone: str = ""
    ) -> Any:
        """Hand in a zip of many files, piece by piece."""
        pack = self.post(f"/studies/{study}/packs", {"name": "day 1.zip", "zone": zone}, status=201)
        for position, start in enumerate(range(0, len(content), piece)):
            self.send_piece(pack["id"], position, content[start : start + piece])
        found = self.post(f"/packs/{pack['id']}/close", status=status)
        return found["pack"] if status == 200 else found

    def _read(self, response: Any, status: int) -> Any:
        assert response.status_code == status, response.content[:600]
        if response.content and response.headers.get("Content-Type", "").startswith("application/json"):
            return json.loads(response.content)
        return response.content


def caller(role: str | None, name: str = "") -> Caller:
    """A caller of a role, by a name of their own where several have it; of None, nobody."""
    client = Client()
    if role is None:
        return Caller(client)
    name = name or f"a-{role}"
    user = User.objects.filter(username=name).first()
    if user is None:
        user = User.objects.create_user(name, password=PASSWORD)
        Person.objects.create(user=user, role=role)
    client.force_login(user)
    return Caller(client, user.username)


def accepting(objection: dict[str, Any], reason: str) -> dict[str, Any]:
    """What accepts a difference that was read."""
    return {"key": objection["key"], "about": objection["about"], "reason": reason}


#: What every lane should say beside what the tests are about, as settings.
RECORDED = [
    {"name": name, "value": value}
    for name, value in {
        "Driver": "41.2", "Power plan": "balanced", "Frame limit": "none", "Memory profile": "1", "Monitor on": "card",
        "Background programs": "none", "Game builds": "frozen",
    }.items()
]  # fmt: skip


def setup(name: str, fins: str) -> dict[str, Any]:
    return {
        "name": name,
        "parts": [{"kind": "card", "name": "Ostrane V5"}, {"kind": "cooler", "name": fins}],
        "settings": [{"name": "Sync", "value": "off"}, *RECORDED],
    }


def study_body(**changes: Any) -> dict[str, Any]:
    """What makes a study of two lanes and three tests."""
    games = (("Moss Republic", "square"), ("Ninth Ferry", "harbour"), ("Paper Comets", "stage 6"))
    return {
        "question": "Do tall fins help?",
        "factor": "Cooler",
        "lanes": [
            {"name": "plain fins", "setup": setup("Box, plain", "Plain 40")},
            {"name": "tall fins", "setup": setup("Box, tall", "Tall 60")},
        ],
        "tests": [{"game": game, "scene": scene, "condition": "1440 high"} for game, scene in games],
        **changes,
    }


@dataclass
class Jobs:
    """What the worker was given to do."""

    connector: InMemoryConnector

    def waiting(self, app_name: str = "") -> list[dict[str, Any]]:
        """Jobs that nobody has done yet, of one app where it is named."""
        todo = [job for job in self.connector.jobs.values() if job["status"] == "todo"]
        return [job for job in todo if job["task_name"].startswith(app_name)]

    def work(self, app_name: str = "") -> int:
        """Do them all, as the worker would, and say how many there were."""
        todo = self.waiting(app_name)
        for job in todo:
            app.tasks[job["task_name"]].func(**job["args"])
            job["status"] = "succeeded"
        return len(todo)


_written: dict[str, bytes] = {}


def _written_once(demand: Scene, seed: int, rig: Rig, upset: Upset | None, dialect: Dialect | None) -> bytes:
    """What the logger writes of a run: the same each time, so it is simulated once."""
    key = repr((demand, seed, rig, upset, dialect))
    if key not in _written:
        run = run_pass(demand, rig, np.random.default_rng(seed), upset)
        _written[key] = write_log(run, dialect) if dialect else write_log(run)
    return _written[key]


_read: dict[tuple[bytes, str], TakenIn] = {}


def _read_once(asked: Asked) -> list[TakenIn]:
    """What is read and measured of files against settings: the same each time, too."""
    found = []
    for log, settings in asked:
        key = (log, json.dumps(settings))
        if key not in _read:
            _read[key] = read_one(log, settings)
        found.append(_read[key])
    return found


@dataclass(frozen=True)
class Ran:
    """A run of a lane in a test, by their places: which pass it is, from which seed, on which rig, what upset it."""

    lane: int
    test: int
    number: int | None = None
    seed: int = 1
    rig: Rig | None = None
    upset: Upset | None = None
    written_at: datetime | None = None


@dataclass
class Bench:
    """A study with a simulated machine beside it."""

    lead: Caller
    tester: Caller
    study: dict[str, Any]
    demand: Scene = field(default_factory=lambda: Scene(5.0, 9.0, seconds=8.0))
    #: What its logger writes; the frame times alone without.
    dialect: Dialect | None = None

    @property
    def id(self) -> int:
        """The study."""
        return int(self.study["id"])

    def lane(self, index: int) -> int:
        """Id of a lane."""
        return int(self.study["lanes_full"][index]["id"])

    def test(self, index: int) -> int:
        """Id of a test."""
        return int(self.study["tests_full"][index]["id"])

    def log(
        self, seed: int, rig: Rig | None = None, upset: Upset | None = None, *, seconds: float | None = None
    ) -> bytes:
        """A capture file."""
        demand = replace(self.demand, seconds=seconds) if seconds else self.demand
        return _written_once(demand, seed, rig or Rig(), upset, self.dialect)

    def record(
        self,
        lane: int,
        test: int,
        number: int | None = None,
        *,
        seed: int = 1,
        rig: Rig | None = None,
        upset: Upset | None = None,
        written_at: datetime | None = None,
    ) -> int:
        """Take a capture in as a pass; gives the pass."""
        return self.record_all([Ran(lane, test, number, seed, rig, upset, written_at)])[0]

    def record_all(self, runs: Sequence[Ran]) -> list[int]:
        """Take captures in as passes, as a pack does, without its zip and its processes; gives the passes."""
        user = User.objects.get(username=self.tester.name)
        files = [
            Written(
                f"{x.lane}-{x.test}-{x.seed}.csv", self.log(x.seed, x.rig, x.upset), self.lane(x.lane),
                self.test(x.test), x.number, x.written_at,
            )
            for x in runs
        ]  # fmt: skip
        return [pk for pk in take_many(user, self.id, files, _read_once) if pk is not None]

    def accept(self, *passes: int) -> None:
        """Accept passes."""
        change_passes(User.objects.get(username=self.tester.name), self.id, passes, PassState.ACCEPTED)

    def fill(
        self, tests: int = 3, passes: int = 3, speeds: Sequence[float] = (1.0, 1.06), *, seed: int = 0,
        left_out: tuple[int, int] | None = None,
    ) -> None:  # fmt: skip
        """Record and accept passes of lanes at their speeds; one cell may stay empty."""
        runs = [
            Ran(lane, test, seed=seed + 100 * test + 10 * lane + number, rig=Rig(gpu_speed=speed))
            for test in range(tests)
            for lane, speed in enumerate(speeds)
            for number in range(passes)
            if (lane, test) != left_out
        ]
        self.accept(*self.record_all(runs))


class AtBench:
    """Somebody who runs a study: does what the screen says, key by key, and sends files as a test machine would."""

    def __init__(self, bench: Bench, who: Caller) -> None:
        self.bench, self.who = bench, who
        self.token = ""
        #: Its session, where several run at once.
        self.session: int | None = None
        #: How many times faster than true time its simulated bench plays.
        self.speed: float | None = None
        for scene in bench.lead.get("/scenes"):
            if scene["length_s"] != bench.demand.seconds:
                bench.lead.save(f"/scenes/{scene['id']}", {"length_s": int(bench.demand.seconds)})

    @property
    def path(self) -> str:
        """Where the run is."""
        return f"/studies/{self.bench.id}/run"

    def _asked(self, path: str) -> str:
        """An address of the session that is one's own, where it is named."""
        return path if self.session is None else f"{path}?session={self.session}"

    def begin(self, **told: Any) -> dict[str, Any]:
        """Begin a session."""
        self.speed = told.get("speed", 1.0) if told.get("simulated") else None
        found: dict[str, Any] = self.who.post(f"/studies/{self.bench.id}/sessions", told, status=201)
        return found

    def look(self) -> dict[str, Any]:
        """What the screen shows."""
        found: dict[str, Any] = self.who.get(self._asked(self.path))
        return found

    def act(self, kind: str, *, refused: str = "", **told: Any) -> dict[str, Any]:
        """Do one act; it must be done, or refused with this code."""
        now = clock.now().isoformat()
        one = {"id": str(uuid.uuid4()), "kind": kind, "at": now, "session_id": self.session, **told}
        found: dict[str, Any] = self.who.post(self._asked(f"{self.path}/acts"), {"acts": [one], "now": now})
        outcome = found["outcomes"][0]
        assert (outcome["done"], outcome["code"]) == (not refused, refused), outcome
        return found

    def go_on(self) -> dict[str, Any]:
        """Do every step up to the next run, with what each wants, and give what is to be run."""
        found = self.look()
        while (step := found["steps"][0])["kind"] != "pass":
            told = {"step": step["key"], "pass_id": step["pass_id"]}
            if step["kind"] == "read_back":
                question = step["question"]
                found = self.act("read_back", setting=question["setting"], seen=question["wanted"], **told)
            elif step["kind"] == "warm_up":
                self.act("began", warm_up=True, **told)
                self.wait(self.bench.demand.seconds)
                found = self.act("done", took_s=step["seconds"], planned_s=step["seconds"], **told)
                assert found["under_way"] is None
            else:
                self.wait(0.0 if self.speed else 7.0)
                found = self.act("done", took_s=7.0, planned_s=step["seconds"], cost=step["cost"], **told)
        return found

    def play(self, **told: Any) -> int:
        """Begin the next run, let its time pass, and end it; the pass."""
        step = self.go_on()["steps"][0]
        self.wait(3.0)  # the countdown
        self.act("began", step=step["key"], pass_id=step["pass_id"], **told)
        self.wait(self.bench.demand.seconds)
        self.act("ended", pass_id=step["pass_id"], took_s=step["seconds"], planned_s=step["seconds"])
        return int(step["pass_id"])

    def run(self, seed: int = 1, rig: Rig | None = None, log: bytes | None = None) -> dict[str, Any]:
        """Run the next pass, and let its file come by the link."""
        coming = next(iter(self.go_on()["coming"]))
        self.play(after_load=coming["after_load"])
        self.send(f"log-{seed}.csv", log if log is not None else self.bench.log(seed, rig))
        return self.look()

    def wait(self, seconds: float) -> None:
        """Let time pass at the bench: a simulated one plays in true time, on any other the clock is put on."""
        if self.speed is not None:
            time.sleep(seconds / self.speed)
        else:
            clock.ahead += timedelta(seconds=seconds)

    def send(
        self,
        name: str,
        content: bytes,
        status: int = 201,
        *,
        token: str | None = None,
        ago_s: float = 0.0,
        written: datetime | None = None,
    ) -> Any:
        """Send a file as the program on the test machine does."""
        if not self.token:
            self.token = self.who.post("/bench-links", {"name": "bench machine"}, status=201)["token"]
        now = clock.now()
        written = written or now - timedelta(seconds=ago_s)
        response = Client().post(
            "/api/link/files",
            {"file": SimpleUploadedFile(name, content), "written_at": written.isoformat(), "now": now.isoformat()},
            headers={"Authorization": f"Bearer {self.token if token is None else token}"},
        )
        assert response.status_code == status, response.content[:600]
        return json.loads(response.content)
