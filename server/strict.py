"""What comes from outside: read to the letter or refused by field. Nothing is guessed, dropped or filled in."""

from __future__ import annotations

import math
import re
import unicodedata
from datetime import date, datetime, time
from typing import Annotated, Any

import orjson
from django.http import HttpRequest
from django.utils.datastructures import MultiValueDict
from ninja.parser import Parser
from problems import Problem
from pydantic import AfterValidator, BaseModel, BeforeValidator, ConfigDict, Field, Strict
from pydantic_core import PydanticUndefined

#: Deeper than this nothing that the API takes is nested.
DEEPEST = 14
#: Smaller than this (but not 0) no number can be kept.
SMALLEST = 1e-300
#: What a database row can hold of a whole number.
LARGEST_WHOLE = 2**63 - 1
#: Years that the calendar of a bench can mean.
YEARS = range(2000, 2100)
#: Kept as they are typed: a password is compared, never shown.
_AS_TYPED = {"password", "new_password"}
#: Said in several lines; anywhere else a line break is refused.
_LINE_BREAKS = "\n\t"
#: Characters that show nothing, so that two names look alike and are not.
_UNSEEN = {"Cc", "Cf", "Cs", "Co", "Cn", "Zl", "Zp"}


class In(BaseModel):
    """The body of a request: unknown keys, numbers written as text and endless numbers are refused."""

    model_config = ConfigDict(extra="forbid", strict=True, allow_inf_nan=False)

    def dict(self, **how: Any) -> dict[str, Any]:
        """The values by field, as plain data."""
        return self.model_dump(**how)


class Whole(In):
    """A body that replaces something: all of it is told, and what is missing is refused."""

    @classmethod
    def __pydantic_init_subclass__(cls, **_: Any) -> None:
        """Take the defaults away that the fields may have where something is made anew."""
        for field in cls.model_fields.values():
            field.default, field.default_factory = PydanticUndefined, None
        cls.model_rebuild(force=True)


class Edit(Whole):
    """A body that replaces what somebody was looking at: `seen` names the state they saw (see :mod:`seen`)."""

    seen: str = Field(max_length=64)


def _one_line(text: str) -> str:
    if any(sign in text for sign in _LINE_BREAKS):
        raise ValueError("must be one line")
    return text


#: Put after the constraints of a text that stands in one line: a name, a question, a value.
ONE_LINE = AfterValidator(_one_line)


def _written(pattern: str, example: str) -> BeforeValidator:
    told = re.compile(pattern)

    def check(value: Any) -> Any:
        if isinstance(value, str) and not told.fullmatch(value):
            raise ValueError(f"must be written as {example}")
        if isinstance(value, (int, float)):
            raise ValueError(f"must be written as {example}, and a number is not")  # noqa: TRY004 - told as a fault
        return value

    return BeforeValidator(check)


def _within_years(value: date) -> date:
    if value.year not in YEARS:
        raise ValueError(f"must lie between the years {YEARS[0]} and {YEARS[-1]}")
    return value


_DATE = r"\d{4}-\d{2}-\d{2}"
_TIME = r"\d{2}:\d{2}(:\d{2}(\.\d{1,6})?)?(Z|[+-]\d{2}:\d{2})?"
Day = Annotated[date, Strict(False), _written(_DATE, "2026-09-12"), AfterValidator(_within_years)]
TimeOfDay = Annotated[time, Strict(False), _written(_TIME, "09:30")]
Moment = Annotated[
    datetime, Strict(False), _written(f"{_DATE}[T ]{_TIME}", "2026-09-12T09:30"), AfterValidator(_within_years)
]


#: What is asked for in words.
_WORDS = {"words", "group", "key", "state"}
_UNDERSCORED = re.compile(r"[+-]?[0-9_.]*[0-9]_[0-9_.]*(e[+-]?[0-9_]+)?", re.IGNORECASE)


class StrictParser(Parser):
    """Reads bodies, forms and queries. Raises :class:`Problem` naming the field that cannot be kept as it is."""

    def parse_body(self, request: HttpRequest) -> Any:
        """The JSON of a body."""
        try:
            data = orjson.loads(request.body)
        except orjson.JSONDecodeError as error:
            raise NotJson(str(error)) from None
        return checked(data)

    def parse_querydict(
        self, data: MultiValueDict[str, Any], list_fields: list[str], request: HttpRequest
    ) -> dict[str, Any]:
        """The values of a form or a query."""
        found = super().parse_querydict(data, list_fields, request)
        for name, value in found.items():
            # Python reads 1_6 as sixteen; nobody who types an address does.
            if name not in _WORDS and isinstance(value, str) and _UNDERSCORED.fullmatch(value):
                raise _refused(name, "it is no number")
        return {name: checked(value, name) for name, value in found.items()}


class NotJson(Problem):
    """The body is no JSON."""

    status = 400

    def __init__(self, why: str) -> None:
        super().__init__("not_json", f"The request is no JSON: {why}.", hint="Send JSON in UTF-8.")


def checked(value: Any, field: str = "", depth: int = 0) -> Any:
    """Plain data with its texts in Unicode's composed form. Raises :class:`Problem` on what cannot be kept."""
    if isinstance(value, str):
        return _text(value, field)
    if isinstance(value, bool) or value is None:
        return value
    if isinstance(value, int):
        if abs(value) > LARGEST_WHOLE:
            raise _refused(field, "the number is too large to be kept")
    elif isinstance(value, float):
        if not math.isfinite(value) or 0 < abs(value) < SMALLEST:
            raise _refused(field, "the number is too large or too small to be kept")
    elif isinstance(value, (list, dict)):
        if depth >= DEEPEST:
            raise _refused(field, f"it is nested deeper than {DEEPEST}")
        if isinstance(value, list):
            return [checked(one, f"{field}.{index}".lstrip("."), depth + 1) for index, one in enumerate(value)]
        return {
            _text(name, field): checked(one, f"{field}.{name}".lstrip(".")[:200], depth + 1)
            for name, one in value.items()
        }
    return value


def _text(text: str, field: str) -> str:
    as_typed = field.rpartition(".")[2] in _AS_TYPED
    if not text.isascii():
        text = text if as_typed else unicodedata.normalize("NFC", text)
        hidden = next((sign for sign in text if unicodedata.category(sign) in _UNSEEN), None)
    else:
        hidden = None if text.isprintable() else next((sign for sign in text if _hidden_ascii(sign)), None)
    if hidden is not None and not (as_typed and hidden >= " " and unicodedata.category(hidden) != "Cs"):
        raise _refused(field, f"it holds the character U+{ord(hidden):04X}, which cannot be seen")
    return text


def _hidden_ascii(sign: str) -> bool:
    return (sign < " " and sign not in "\n\t\r") or sign == "\x7f"


def _refused(field: str, why: str) -> Problem:
    return Problem("invalid", f"{field or 'The request'}: {why}.", field=field or None, hint="Take it out.")
