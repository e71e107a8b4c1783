"""A context from its file: settings, scenes, tests, lanes and passes, whose captures lie beside it (docs/checks.md)."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from typing import Any

from rennbahn.capture import ColumnMap, propose_columns
from rennbahn.capture.torn import TORN, read_torn
from rennbahn.checks.model import CheckedLane, CheckedPass, CheckedScene, CheckedTest, Context, ReadBack
from rennbahn.checks.profile import Profile, profile_of
from rennbahn.errors import CaptureRefused, RennbahnError
from rennbahn.keys import refuse_unknown
from rennbahn.measures import LOW_SCHOOLS, Settings
from rennbahn.planning.noise import Estimate

_KEYS = {
    "the context": {"settings", "scenes", "tests", "lanes", "noise", "passes"},
    "settings": {"target_hz", "low_school", "known_caps"},
    "scenes": {"id", "game", "name", "kind", "length_s"},
    "tests": {"id", "scene", "conditions"},
    "lanes": {"id", "name"},
    "noise": {"average_fps", "low_1", "df"},
    "passes": {
        "id", "lane", "test", "number", "file", "columns", "clock_h", "after_load", "read_back", "expected_channels",
        "session", "control", "repeats",
    },
    "read_back": {"setting", "wanted", "seen"},
    "known_caps": {"name", "fps", "refresh", "variable"},
}  # fmt: skip
KINDS = ("benchmark", "replay", "scripted", "route", "live")


def context_from_json(data: Any, read_file: Callable[[str], bytes]) -> Context:
    """The context that a file describes; `read_file` gives the bytes of a capture by its name.

    Raises :class:`RennbahnError` (`bad_context`) naming the field, :class:`CaptureRefused` for a capture that cannot
    be read. A torn last line is no refusal: it is left out, and doubted.
    """
    try:
        _known(data, "the context")
        settings_in = dict(data.get("settings") or {})
        _known(settings_in, "settings")
        for cap in settings_in.get("known_caps") or ():
            _known(cap, "known_caps")
        school = settings_in.pop("low_school", LOW_SCHOOLS[0])
        if school not in LOW_SCHOOLS:
            _refuse("low_school", f"low_school must be one of {', '.join(LOW_SCHOOLS)} (got {school!r})")
        settings = Settings.from_json(settings_in)
        for part in ("scenes", "tests", "lanes", "passes"):
            for entry in data[part]:
                _known(entry, part)
        return Context(
            scenes=tuple(_scene(x) for x in data["scenes"]),
            tests=tuple(
                CheckedTest(str(x["id"]), str(x["scene"]), str(x.get("conditions", ""))) for x in data["tests"]
            ),
            lanes=tuple(CheckedLane(str(x["id"]), str(x.get("name", x["id"]))) for x in data["lanes"]),
            passes=tuple(_pass(x, at, settings, school, read_file) for at, x in enumerate(data["passes"], start=1)),
            noise={str(scene): _noise(scene, x) for scene, x in (data.get("noise") or {}).items()},
        )
    except KeyError as error:
        raise RennbahnError("bad_context", f"the context lacks {error}", field=str(error.args[0])) from None
    except (AttributeError, TypeError, ValueError) as error:
        raise RennbahnError("bad_context", f"the context is not in the form described: {error}") from None


def _scene(data: Mapping[str, Any]) -> CheckedScene:
    kind = str(data.get("kind", "route"))
    if kind not in KINDS:
        _refuse("kind", f"scene {data['id']}: kind must be one of {', '.join(KINDS)} (got {kind!r})")
    length = data.get("length_s")
    if length is not None and not (math.isfinite(float(length)) and float(length) > 0):
        _refuse("length_s", f"scene {data['id']}: length_s must be above 0 (got {length})")
    return CheckedScene(
        str(data["id"]), str(data.get("game", "")), str(data.get("name", "")), kind,
        None if length is None else float(length),
    )  # fmt: skip


def _noise(scene: str, data: Mapping[str, Any]) -> dict[str, Estimate]:
    _known(data, "noise")
    df = None if data.get("df") is None else float(data["df"])
    found = {}
    for figure in ("average_fps", "low_1"):
        if data.get(figure) is None:
            continue
        s = float(data[figure])
        if not (math.isfinite(s) and s >= 0) or (df is not None and not df > 0):
            _refuse("noise", f"noise of scene {scene}: {figure} and df must be no less than 0 (got {s} and {df})")
        found[figure] = Estimate(s, "scene", df)
    return found


def _pass(
    data: Mapping[str, Any], at: int, settings: Settings, school: str, read_file: Callable[[str], bytes]
) -> CheckedPass:
    name = str(data.get("id", at))
    told = data.get("read_back") or []
    # One setting, or a list of several.
    backs = told if isinstance(told, list) else [told]
    for back in backs:
        _known(back, "read_back")
    session = data.get("session")
    return CheckedPass(
        id=name,
        lane=str(data["lane"]),
        test=str(data["test"]),
        number=int(data.get("number", 1)),
        profile=_profile(data, settings, school, read_file),
        clock_h=None if data.get("clock_h") is None else float(data["clock_h"]),
        session=None if session is None else str(session),
        control=bool(data.get("control", False)),
        repeats=None if data.get("repeats") is None else str(data["repeats"]),
        after_load=bool(data.get("after_load", False)),
        read_backs=tuple(
            ReadBack(str(back["setting"]), str(back["wanted"]), None if back.get("seen") is None else str(back["seen"]))
            for back in backs
        ),
        expected_channels=tuple(str(channel) for channel in data.get("expected_channels") or ()),
    )


def _profile(data: Mapping[str, Any], settings: Settings, school: str, read_file: Callable[[str], bytes]) -> Profile:
    content = read_file(str(data["file"]))
    columns = data.get("columns")
    if columns is not None:
        own = ColumnMap.from_json(columns)
    else:
        proposal = propose_columns(content)
        if proposal.columns is None:
            asked = " ".join(proposal.questions) or "no column looks like frame times, timestamps or rates"
            raise CaptureRefused("missing_column", f"{data['file']}: {asked}", hint="Say what the columns are.")
        own = proposal.columns
    try:
        frames = read_torn(content, own, even_if_ended=True)
    except CaptureRefused as error:
        error.message = f"{data['file']}: {error.message}"
        raise
    return profile_of(frames, settings, low_school=school, torn=TORN in frames.source_flags)


def _known(data: Mapping[str, Any], where: str) -> None:
    refuse_unknown(data, _KEYS[where], where, "bad_context")


def _refuse(field: str, message: str) -> None:
    raise RennbahnError("bad_context", message, field=field)
