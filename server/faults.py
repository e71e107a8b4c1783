"""Why input was refused, in the words and units of the form it was typed into."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

#: What a field is called on screen, and where it is typed in another unit than it is kept in: its factor and unit.
_FIELDS: dict[str, tuple[str, float, str]] = {
    "equal_band": ("Band that counts as even", 100.0, "%"),
    "margin": ("Margin that matters", 100.0, "%"),
    "target_hz": ("Rate to be reached", 1.0, "Hz"),
    "display_hz": ("Refresh rate of the display", 1.0, "Hz"),
    "most_passes": ("Passes at most", 1.0, ""),
    "passes_wanted": ("Passes", 1.0, ""),
    "hours_a_day": ("Hours a day", 1.0, "h"),
    "weekdays": ("Working days", 1.0, ""),
    "starts_on": ("First day", 1.0, ""),
    "day_starts": ("Begins at", 1.0, ""),
    "deadline": ("Deadline", 1.0, ""),
    "engine_cap_fps": ("Engine cap", 1.0, "fps"),
    "frame_limit_fps": ("Frame limit", 1.0, "fps"),
    "length_s": ("Length", 1.0, "s"),
    "warm_up_runs": ("Warm-up runs", 1.0, ""),
    "weight_g": ("Weight", 1.0, "g"),
    "price": ("Price", 1.0, ""),
    "currency": ("Currency", 1.0, ""),
    "average_fps": ("Average", 1.0, "fps"),
    "minimum_fps": ("Minimum", 1.0, "fps"),
    "low_1_fps": ("1% low", 1.0, "fps"),
    "low_01_fps": ("0.1% low", 1.0, "fps"),
    "read_from": ("Read from", 1.0, ""),
    "number": ("Pass", 1.0, ""),
    "windows": ("Window", 1.0, "s"),
    "question": ("Question", 1.0, ""),
    "factor": ("Factor", 1.0, ""),
    "second_factor": ("Second factor", 1.0, ""),
    "name": ("Name", 1.0, ""),
    "value": ("Value", 1.0, ""),
    "game": ("Game", 1.0, ""),
    "scene": ("Scene", 1.0, ""),
    "condition": ("Condition", 1.0, ""),
    "priority": ("Priority", 1.0, ""),
    "reason": ("Reason", 1.0, ""),
    "skip_lines": ("Lines before the header", 1.0, ""),
    "offset_s": ("Offset", 1.0, "s"),
    "password": ("Password", 1.0, ""),
    "parts": ("Parts", 1.0, ""),
    "settings": ("Settings", 1.0, ""),
    "tests": ("Tests", 1.0, ""),
    "lanes": ("Lanes", 1.0, ""),
}
#: Costs of changes are typed in minutes and kept in seconds.
_SECONDS_AS_MINUTES = "_s"
_NOT_FIELDS = {"body", "query", "path", "form", "payload", "file"}


_NUMBER, _WHOLE_NUMBER = "must be a number", "must be a whole number"
_SENTENCES = {
    "string_too_short": "must not be empty",
    "string_too_long": "may have up to {max_length:,} characters",
    "too_long": "takes up to {max_length:,} entries",
    "too_short": "needs at least {min_length:,}",
    "missing": "is missing",
    "extra_forbidden": "is not known here",
    "literal_error": "must be one of {expected}",
    "finite_number": _NUMBER,
    "float_type": _NUMBER,
    "float_parsing": _NUMBER,
    "decimal_parsing": _NUMBER,
    "decimal_type": _NUMBER,
    "int_type": _WHOLE_NUMBER,
    "int_parsing": _WHOLE_NUMBER,
    "int_from_float": _WHOLE_NUMBER,
    "string_type": "must be text",
    "bool_type": "must be true or false",
    "list_type": "must be a list",
    "dict_type": "must be an object with named fields",
    "model_type": "must be an object with named fields",
    "model_attributes_type": "must be an object with named fields",
}


def place_of(fault: Mapping[str, Any]) -> str:
    """The field of a fault, with dots."""
    return ".".join(str(part) for part in fault["loc"] if part not in _NOT_FIELDS)


def sentence_of(fault: Mapping[str, Any]) -> str:
    """A fault found by pydantic as a sentence for who filled in the form."""
    parts = [part for part in fault["loc"] if part not in _NOT_FIELDS]
    names = [part for part in parts if isinstance(part, str)]
    label, factor, unit = _field(names)
    where = _row(parts)
    return f"{label}{where}: {_why(fault, factor, unit)}."


def _field(names: Sequence[str]) -> tuple[str, float, str]:
    if not names:
        return "The request", 1.0, ""
    name = names[-1]
    if "costs" in names:
        return name.removesuffix(_SECONDS_AS_MINUTES).replace("_", " ").capitalize(), 1 / 60, "min"
    return _FIELDS.get(name, (name.replace("_", " ").capitalize(), 1.0, ""))


def _row(parts: Sequence[object]) -> str:
    at = next((part for part in parts if isinstance(part, int)), None)
    return "" if at is None else f" (number {at + 1})"


def _why(fault: Mapping[str, Any], factor: float, unit: str) -> str:
    kind, facts = str(fault["type"]), fault.get("ctx") or {}

    def amount(name: str) -> str:
        return f"{float(facts[name]) * factor:,.6g} {unit}".strip()

    words = {
        "greater_than": ("must be over {}", "gt"),
        "greater_than_equal": ("must be at least {}", "ge"),
        "less_than": ("must be under {}", "lt"),
        "less_than_equal": ("must be at most {}", "le"),
    }
    if kind in words:
        sentence, name = words[kind]
        return sentence.format(amount(name))
    if kind in _SENTENCES:
        return _SENTENCES[kind].format(**facts)
    text = str(fault["msg"]).removeprefix("Value error, ").removeprefix("Input ")
    return text[:1].lower() + text[1:]
