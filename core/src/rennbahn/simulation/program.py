"""`rennbahn-simbench PLAN.json --into FOLDER`: plays a plan's passes and writes their files as a logger would.

The only part of the core that waits: it plays in true time or faster.
"""

from __future__ import annotations

import argparse
import json
import sys
import time
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from rennbahn.errors import RennbahnError
from rennbahn.keys import refuse_unknown
from rennbahn.planning.fairness import SetupDescription
from rennbahn.planning.weighing import PartDescription
from rennbahn.simulation.abilities import SimulatedTest
from rennbahn.simulation.sitting import FAULTS, SimulatedBench, Wanted

REFUSED = 2
_TEST_KEYS = {
    "id", "game", "scene", "kind", "length_s", "resolution", "settings", "leans_on", "engine_cap_fps",
    "frame_limit_fps",
}  # fmt: skip


def main(argv: Sequence[str] | None = None) -> int:
    """Run the program and return its exit code: 0, or 2 where the plan was refused."""
    arguments = _parser().parse_args(argv)
    try:
        bench, passes = _plan(arguments)
    except RennbahnError as error:
        print(f"{arguments.plan}: {error.message}", file=sys.stderr)
        return REFUSED
    folder = Path(arguments.into)
    folder.mkdir(parents=True, exist_ok=True)
    hour = 0.0
    for wanted in passes:
        played = bench.play(Wanted(**{**wanted, "hour": hour}))
        if arguments.speed:
            time.sleep(played.seconds / arguments.speed)
        hour += (played.seconds + arguments.between) / 3600.0
        name = f"{wanted['lane']}_{wanted['test']}_{wanted['number']}"
        for suffix, content in ((".csv", played.log), ("_meter.csv", played.meter)):
            if content is not None:
                write_whole(folder / f"{name}{suffix}", content)
        print(json.dumps(played.truth(), ensure_ascii=False), flush=True)
    return 0


def write_whole(path: Path, content: bytes) -> None:
    """Write a file as a logger does that writes while it records: in pieces, at its final place."""
    with path.open("wb") as file:
        for start in range(0, len(content), 1 << 16):
            file.write(content[start : start + (1 << 16)])
            file.flush()


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="rennbahn-simbench",
        description="A simulated bench: plays passes and writes their files. What it makes is no result.",
        epilog="What it can be told to do wrong: " + "; ".join(f"{name}: {words}" for name, words in FAULTS.items()),
    )
    parser.add_argument("plan", metavar="PLAN.json", help="lanes with parts and settings, tests, passes in order")
    parser.add_argument("--into", required=True, metavar="FOLDER", help="where the files are written")
    parser.add_argument("--seed", type=int, default=1, help="the same seed plays the same passes")
    parser.add_argument("--speed", type=float, default=1.0, help="1 is true time, 60 a minute a second, 0 at once")
    parser.add_argument("--between", type=float, default=60.0, metavar="S", help="seconds between passes on its clock")
    parser.add_argument("--fault", action="append", default=[], metavar="NAME=RATE", help="what goes wrong, how often")
    return parser


def _plan(arguments: argparse.Namespace) -> tuple[SimulatedBench, list[dict[str, Any]]]:
    try:
        data = json.loads(Path(arguments.plan).read_text(encoding="utf-8"))
    except OSError as error:
        raise RennbahnError("unreadable", f"cannot be opened: {error.strerror}") from None
    except (UnicodeDecodeError, json.JSONDecodeError) as error:
        raise RennbahnError("unreadable", f"is no JSON: {error}") from None
    try:
        bench = SimulatedBench(
            lanes={str(lane["id"]): setup_from_json(lane) for lane in data["lanes"]},
            tests={str(test["id"]): test_from_json(test) for test in data["tests"]},
            seed=arguments.seed,
            faults=_faults(arguments.fault),
        )
        passes = [
            {
                "lane": str(one["lane"]), "test": str(one["test"]), "number": int(one["number"]),
                "after_load": bool(one.get("after_load", False)),
            }
            for one in data["passes"]
        ]  # fmt: skip
    except KeyError as error:
        raise RennbahnError("bad_plan", f"the plan lacks {error}") from None
    except (AttributeError, TypeError, ValueError) as error:
        raise RennbahnError("bad_plan", f"the plan is not in the form described: {error}") from None
    return bench, passes


def setup_from_json(data: Mapping[str, Any]) -> SetupDescription:
    """A setup from `parts` (kind, name, facts) and `settings`."""
    parts = tuple(
        PartDescription(kind=str(part["kind"]), name=str(part["name"]), facts=dict(part.get("facts") or {}))
        for part in data.get("parts") or ()
    )
    return SetupDescription(parts, {str(name): str(value) for name, value in (data.get("settings") or {}).items()})


def test_from_json(data: Mapping[str, Any]) -> SimulatedTest:
    """A test from its facts. Raises :class:`RennbahnError` on a key that nobody reads."""
    refuse_unknown(data, _TEST_KEYS, "tests", "bad_plan")
    given = {**data, "id": str(data["id"]), "leans_on": tuple(data.get("leans_on") or ())}
    return SimulatedTest(**given)


def _faults(told: Sequence[str]) -> dict[str, float]:
    found = {}
    for one in told:
        name, _, rate = one.partition("=")
        try:
            found[name] = float(rate)
        except ValueError:
            raise RennbahnError("bad_rate", f"--fault takes NAME=RATE, as lock=0.1 (got {one!r})") from None
    return found


if __name__ == "__main__":
    sys.exit(main())
