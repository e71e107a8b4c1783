"""Tuning logs as JSON: read to the letter, or refused by field."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rennbahn.keys import Strict
from rennbahn.tuning.log import KINDS, OUTCOMES, USUAL_MINUTES, Quick, Rival, Setting, Stability, Step, TuningLog

_STRICT = Strict("bad_log")
_WAYS = {"up": 1, "down": -1}


def log_from_json(data: Any) -> TuningLog:
    """The log that a file describes. Raises :class:`RennbahnError` (`bad_log`) naming step and field."""
    told = _STRICT.object(data, "the log", {"settings", "steps"}, {"rival", "stability_min"})
    settings = {name: _setting(name, one) for name, one in _STRICT.mapping(told["settings"], "settings").items()}
    steps = [_step(at, one, settings) for at, one in enumerate(_STRICT.list(told["steps"], "steps"), start=1)]
    ids = [one.id for one in steps]
    twice = next((one for one in ids if ids.count(one) > 1), None)
    if twice is not None:
        _STRICT.refuse("id", f"two steps are called {twice}")
    rival = told.get("rival")
    if rival is not None:
        of = _STRICT.object(rival, "rival", {"passes"})
        rival = Rival(_passes(of["passes"], "rival", w_needed=True))
    minutes = _STRICT.number(told.get("stability_min", USUAL_MINUTES), "stability_min", "the log", least=0.0)
    return TuningLog(settings, tuple(steps), rival, minutes)


def _setting(name: str, data: Any) -> Setting:
    where = f"setting {name}"
    told = _STRICT.object(data, where, {"unit", "stock", "resolution"}, {"limit_low", "limit_high", "kind", "harder"})
    low, high = (
        None if told.get(key) is None else _STRICT.number(told[key], key, where) for key in ("limit_low", "limit_high")
    )
    if low is not None and high is not None and low > high:
        _STRICT.refuse("limit_low", f"{where}: limit_low lies above limit_high ({low:g} and {high:g})")
    kind = _STRICT.one_of(told.get("kind", "other"), KINDS, "kind", where)
    harder = told.get("harder")
    return Setting(
        unit=_STRICT.text(told["unit"], "unit", where),
        stock=_STRICT.number(told["stock"], "stock", where),
        resolution=_STRICT.number(told["resolution"], "resolution", where, above=0.0),
        limit_low=low,
        limit_high=high,
        kind=kind,
        harder=None if harder is None else _WAYS[_STRICT.one_of(harder, _WAYS, "harder", where)],
    )


def _step(at: int, data: Any, settings: Mapping[str, Setting]) -> Step:
    told = _STRICT.object(data, f"step {at}", {"id", "set"}, {"read_back", "stability", "passes", "sample"})
    where = f"step {_STRICT.text(told['id'], 'id', f'step {at}')}"
    return Step(
        id=told["id"],
        set=_values(told["set"], "set", where, settings),
        read_back=_values(told.get("read_back") or {}, "read_back", where, settings),
        stability=tuple(_stability(one, where) for one in _STRICT.list(told.get("stability") or [], "stability")),
        passes=_passes(told.get("passes") or [], where),
        sample=_STRICT.text(told.get("sample") or "", "sample", where),
    )


def _values(data: Any, field: str, where: str, settings: Mapping[str, Setting]) -> dict[str, float]:
    found = {}
    for name, value in _STRICT.mapping(data, field).items():
        if name not in settings:
            _STRICT.refuse(field, f"{where}: {field} names {name}, which is no setting of the log")
        found[name] = _STRICT.number(value, field, f"{where}, {name}")
    return found


def _stability(data: Any, where: str) -> Stability:
    told = _STRICT.object(data, f"stability of {where}", {"program", "minutes", "outcome"})
    return Stability(
        _STRICT.text(told["program"], "program", where),
        _STRICT.number(told["minutes"], "minutes", where, least=0.0),
        _STRICT.one_of(told["outcome"], OUTCOMES, "outcome", where),
    )


def _passes(data: Any, where: str, *, w_needed: bool = False) -> tuple[Quick, ...]:
    found = []
    for one in _STRICT.list(data, "passes"):
        told = _STRICT.object(one, f"passes of {where}", {"fps", "w"} if w_needed else {"fps"}, {"w"})
        w = None if told.get("w") is None and not w_needed else _STRICT.number(told["w"], "w", where, above=0.0)
        found.append(Quick(_STRICT.number(told["fps"], "fps", where, above=0.0), w))
    return tuple(found)
