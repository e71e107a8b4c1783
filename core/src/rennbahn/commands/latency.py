"""`rennbahn latency STUDY.json...`"""

from __future__ import annotations

from typing import Any

from rennbahn.commands.files import add_answering
from rennbahn.latency import latency_of, study_from_json
from rennbahn.latency.words import latency_text
from rennbahn.plain import plain

#: What of the answer is no part of the JSON that is promised.
_OWN = ("equal_ms", "wanted_ms")


def add_to(commands: Any) -> None:
    """Make it one of the commands."""
    add_answering(
        commands, "latency", "STUDY.json", "latency from counted frames: camera's rate, devices, differences",
        "clips, devices and presses", study_from_json, latency_of, latency_text, _as_json,
    )  # fmt: skip


def _as_json(found: Any) -> dict[str, Any]:
    told: dict[str, Any] = plain(found)
    clips = [{key: value for key, value in one.items() if key != "u"} for one in told["clips"]]
    return {key: value for key, value in told.items() if key not in _OWN} | {"clips": clips}
