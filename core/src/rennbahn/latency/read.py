"""Studies of latency as JSON: read to the letter, or refused by field."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from rennbahn.keys import Strict
from rennbahn.latency.model import READING_ERROR_S, Clip, Device, LatencyStudy, Press, Reading

_STRICT = Strict("bad_latency")


def study_from_json(data: Any) -> LatencyStudy:
    """The study that a file describes. Raises :class:`RennbahnError` (`bad_latency`) naming what and field."""
    told = _STRICT.object(data, "the study", {"clips", "devices", "presses"}, {"settings"})
    clips = [_clip(at, one) for at, one in enumerate(_STRICT.list(told["clips"], "clips"), start=1)]
    devices = [_device(at, one) for at, one in enumerate(_STRICT.list(told["devices"], "devices"), start=1)]
    _once([one.id for one in clips], "clips")
    _once([one.id for one in devices], "devices")
    presses = [_press(at, one) for at, one in enumerate(_STRICT.list(told["presses"], "presses"), start=1)]
    _known(presses, clips, devices)
    settings = _STRICT.object(told.get("settings") or {}, "settings", (), {"equal_ms", "wanted_ms", "comparable"})
    equal, wanted = (
        None if settings.get(key) is None else _STRICT.number(settings[key], key, "settings", above=0.0)
        for key in ("equal_ms", "wanted_ms")
    )
    comparable = _STRICT.text(settings.get("comparable") or "", "comparable", "settings")
    return LatencyStudy(tuple(clips), tuple(devices), tuple(presses), equal, wanted, comparable.strip())


def _clip(at: int, data: Any) -> Clip:
    where = f"clip {at}"
    may = {"readings", "reading_error_s", "declared_fps", "why"}
    told = _STRICT.object(data, where, {"id", "nominal_fps"}, may)
    where = f"clip {_STRICT.text(told['id'], 'id', where)}"
    readings = [_reading(one, where) for one in _STRICT.list(told.get("readings") or [], "readings")]
    frames = [one.frame for one in readings]
    twice = next((one for one in frames if frames.count(one) > 1), None)
    if twice is not None:
        _STRICT.refuse("readings", f"{where}: frame {twice} is read twice")
    declared = told.get("declared_fps")
    why = _STRICT.text(told.get("why") or "", "why", where).strip()
    if declared is not None and not why:
        _STRICT.refuse("why", f"{where}: a declared rate needs its reason (why)")
    return Clip(
        told["id"],
        _STRICT.number(told["nominal_fps"], "nominal_fps", where, above=0.0),
        tuple(readings),
        _STRICT.number(told.get("reading_error_s", READING_ERROR_S), "reading_error_s", where, above=0.0),
        None if declared is None else _STRICT.number(declared, "declared_fps", where, above=0.0),
        why,
    )


def _reading(data: Any, where: str) -> Reading:
    pair = _STRICT.list(data, "readings")
    if len(pair) != 2:
        _STRICT.refuse("readings", f"{where}: a reading is a frame and what the clock shows in it (got {data!r:.60})")
    frame = _STRICT.whole(pair[0], "readings", where)
    return Reading(frame, _STRICT.number(pair[1], "readings", where))


def _device(at: int, data: Any) -> Device:
    where = f"device {at}"
    told = _STRICT.object(data, where, {"id", "name"}, {"refresh_hz", "program", "press_rule"})
    where = f"device {_STRICT.text(told['id'], 'id', where)}"
    refresh = told.get("refresh_hz")
    return Device(
        told["id"],
        _STRICT.text(told["name"], "name", where),
        None if refresh is None else _STRICT.number(refresh, "refresh_hz", where, above=0.0),
        _STRICT.text(told.get("program") or "", "program", where),
        _STRICT.text(told.get("press_rule") or "", "press_rule", where),
    )


def _press(at: int, data: Any) -> Press:
    where = f"press {at}"
    told = _STRICT.object(data, where, {"device", "clip", "number", "reader", "press_frame", "answer_frame"})
    begin, end = (_STRICT.whole(told[key], key, where) for key in ("press_frame", "answer_frame"))
    if end < begin:
        _STRICT.refuse("answer_frame", f"{where}: the answer (frame {end}) lies before the press (frame {begin})")
    device, clip, reader = (_STRICT.text(told[key], key, where) for key in ("device", "clip", "reader"))
    return Press(device, clip, _STRICT.whole(told["number"], "number", where), reader, begin, end)


def _once(ids: Sequence[str], field: str) -> None:
    twice = next((one for one in ids if ids.count(one) > 1), None)
    if twice is not None:
        _STRICT.refuse(field, f"{field}: two are called {twice}")


def _known(presses: Sequence[Press], clips: Sequence[Clip], devices: Sequence[Device]) -> None:
    there = {"clip": {one.id for one in clips}, "device": {one.id for one in devices}}
    seen: set[tuple[str, tuple[str, int]]] = set()
    of: dict[tuple[str, int], str] = {}
    for at, one in enumerate(presses, start=1):
        for field, known in there.items():
            if getattr(one, field) not in known:
                _STRICT.refuse(field, f"press {at} names the {field} {getattr(one, field)}, which is not listed")
        if (one.reader, one.key) in seen:
            _STRICT.refuse("number", f"press {at}: {one.reader} counts press {one.number} of clip {one.clip} twice")
        seen.add((one.reader, one.key))
        if of.setdefault(one.key, one.device) != one.device:
            _STRICT.refuse("device", f"press {at}: press {one.number} of clip {one.clip} is of another device before")
