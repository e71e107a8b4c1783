"""Tuning logs as JSON: read to the letter, or refused by field."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping
from typing import Any, NoReturn

from rennbahn.errors import RennbahnError
from rennbahn.keys import refuse_unknown
from rennbahn.tuning.log import KINDS, OUTCOMES, USUAL_MINUTES, Quick, Rival, Setting, Stability, Step, TuningLog

_CODE = "bad_log"
_WAYS = {"up": 1, "down": -1}


def log_from_json(data: Any) -> TuningLog:
    """The log that a file describes. Raises :class:`RennbahnError` (`bad_log`) naming step and field."""
    told = _object(data, "the log", {"settings", "steps"}, {"rival", "stability_min"})
    settings = {name: _setting(name, one) for name, one in _mapping(told["settings"], "settings").items()}
    steps = [_step(at, one, settings) for at, one in enumerate(_list(told["steps"], "steps"), start=1)]
    ids = [one.id for one in steps]
    twice = next((one for one in ids if ids.count(one) > 1), None)
    if twice is not None:
        _refuse("id", f"two steps are called {twice}")
    rival = told.get("rival")
    if rival is not None:
        of = _object(rival, "rival", {"passes"}, set())
        rival = Rival(_passes(of["passes"], "rival", w_needed=True))
    minutes = _number(told.get("stability_min", USUAL_MINUTES), "stability_min", "the log", least=0.0)
    return TuningLog(settings, tuple(steps), rival, minutes)


def _setting(name: str, data: Any) -> Setting:
    where = f"setting {name}"
    told = _object(data, where, {"unit", "stock", "resolution"}, {"limit_low", "limit_high", "kind", "harder"})
    low, high = (
        None if told.get(key) is None else _number(told[key], key, where) for key in ("limit_low", "limit_high")
    )
    if low is not None and high is not None and low > high:
        _refuse("limit_low", f"{where}: limit_low lies above limit_high ({low:g} and {high:g})")
    kind = _one_of(told.get("kind", "other"), KINDS, "kind", where)
    harder = told.get("harder")
    return Setting(
        unit=_text(told["unit"], "unit", where),
        stock=_number(told["stock"], "stock", where),
        resolution=_number(told["resolution"], "resolution", where, above=0.0),
        limit_low=low,
        limit_high=high,
        kind=kind,
        harder=None if harder is None else _WAYS[_one_of(harder, _WAYS, "harder", where)],
    )


def _step(at: int, data: Any, settings: Mapping[str, Setting]) -> Step:
    told = _object(data, f"step {at}", {"id", "set"}, {"read_back", "stability", "passes", "sample"})
    where = f"step {_text(told['id'], 'id', f'step {at}')}"
    return Step(
        id=told["id"],
        set=_values(told["set"], "set", where, settings),
        read_back=_values(told.get("read_back") or {}, "read_back", where, settings),
        stability=tuple(_stability(one, where) for one in _list(told.get("stability") or [], "stability")),
        passes=_passes(told.get("passes") or [], where),
        sample=_text(told.get("sample") or "", "sample", where),
    )


def _values(data: Any, field: str, where: str, settings: Mapping[str, Setting]) -> dict[str, float]:
    found = {}
    for name, value in _mapping(data, field).items():
        if name not in settings:
            _refuse(field, f"{where}: {field} names {name}, which is no setting of the log")
        found[name] = _number(value, field, f"{where}, {name}")
    return found


def _stability(data: Any, where: str) -> Stability:
    told = _object(data, f"stability of {where}", {"program", "minutes", "outcome"}, set())
    return Stability(
        _text(told["program"], "program", where),
        _number(told["minutes"], "minutes", where, least=0.0),
        _one_of(told["outcome"], OUTCOMES, "outcome", where),
    )


def _passes(data: Any, where: str, *, w_needed: bool = False) -> tuple[Quick, ...]:
    found = []
    for one in _list(data, "passes"):
        told = _object(one, f"passes of {where}", {"fps", "w"} if w_needed else {"fps"}, {"w"})
        w = None if told.get("w") is None and not w_needed else _number(told["w"], "w", where, above=0.0)
        found.append(Quick(_number(told["fps"], "fps", where, above=0.0), w))
    return tuple(found)


def _object(data: Any, where: str, needed: Collection[str], may: Collection[str]) -> Mapping[str, Any]:
    told = _mapping(data, where)
    refuse_unknown(told, {*needed, *may}, where, _CODE)
    missing = next((key for key in sorted(needed) if key not in told), None)
    if missing is not None:
        _refuse(missing, f"{where} lacks {missing}")
    return told


def _mapping(data: Any, where: str) -> Mapping[str, Any]:
    if not isinstance(data, Mapping):
        _refuse(where, f"{where} must be an object (got {data!r:.60})")
    return data


def _list(data: Any, field: str) -> list[Any]:
    if not isinstance(data, list):
        _refuse(field, f"{field} must be a list (got {data!r:.60})")
    return data


def _text(value: Any, field: str, where: str) -> str:
    if not isinstance(value, str):
        _refuse(field, f"{where}: {field} must be text (got {value!r:.60})")
    return value


def _one_of(value: Any, known: Collection[str], field: str, where: str) -> str:
    if not isinstance(value, str) or value not in known:
        _refuse(field, f"{where}: {field} must be one of {', '.join(known)} (got {value!r:.60})")
    return value


def _number(value: Any, field: str, where: str, *, above: float | None = None, least: float | None = None) -> float:
    if isinstance(value, bool) or not isinstance(value, (int, float)) or not math.isfinite(value):
        _refuse(field, f"{where}: {field} must be a number (got {value!r:.60})")
    if (above is not None and not value > above) or (least is not None and not value >= least):
        bound = f"above {above:g}" if above is not None else f"no less than {least:g}"
        _refuse(field, f"{where}: {field} must be {bound} (got {value:g})")
    return float(value)


def _refuse(field: str, message: str) -> NoReturn:
    raise RennbahnError(_CODE, message, field=field)
