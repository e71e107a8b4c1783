"""Study files of made-up passes, for the answers to every kind."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

import numpy as np
from rennbahn.comparing.cells import Sheet
from rennbahn.comparing.model import AVERAGE, Study
from rennbahn.kinds import answer_of

LOW = "low_1.percentile"


def study(
    kind: str,
    lanes: Sequence[Mapping[str, Any]],
    tests: Sequence[Mapping[str, Any]],
    rate: Callable[[Mapping[str, Any], Mapping[str, Any]], float | None],
    *,
    passes: int = 5,
    noise: float = 0.008,
    settings: Mapping[str, Any] | None = None,
    more: Callable[[Mapping[str, Any], Mapping[str, Any]], Mapping[str, Any]] = lambda _, __: {},
) -> dict[str, Any]:
    """A study file of made-up passes; `rate` gives a lane's true rate in a test, None where it did not run."""
    rng = np.random.default_rng(11)
    found = []
    for test in tests:
        for lane in lanes:
            true = rate(lane, test)
            for _ in range(passes):
                if true is None:
                    found.append({"lane": lane["id"], "test": test["id"], "status": "did_not_launch"})
                    continue
                average, low = true * np.exp(rng.normal(0, noise, 2))
                figures = {AVERAGE: float(average), LOW: 0.8 * float(low)}
                one = {"lane": lane["id"], "test": test["id"], "status": "accepted", "figures": figures}
                found.append(one | more(lane, test))
    scenes = {test["scene"]: {"id": test["scene"], "game": test.get("game", f"Game {test['scene']}")} for test in tests}
    bare = [{key: value for key, value in test.items() if key != "game"} for test in tests]
    return {
        "name": kind, "kind": kind, "settings": dict(settings or {}), "lanes": [dict(lane) for lane in lanes],
        "scenes": list(scenes.values()), "tests": bare, "passes": found,
    }  # fmt: skip


def logs(data: Mapping[str, Any], lane: str, test: str, figure: str = AVERAGE) -> np.ndarray[Any, np.dtype[np.float64]]:
    """ln of the accepted passes of a cell."""
    own = [p for p in data["passes"] if (p["lane"], p["test"]) == (lane, test) and "figures" in p]
    return np.log([p["figures"][figure] for p in own])


def answered(data: Mapping[str, Any]) -> Any:
    """What the core says of a study file."""
    return answer_of(Sheet(Study.from_json(data))).as_json()


ONE = [{"id": "t", "scene": "s"}]
SIX = [{"id": f"t{i}", "scene": f"s{i}"} for i in range(6)]
