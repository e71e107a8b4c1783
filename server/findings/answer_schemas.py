"""Answers of every kind as the API speaks of them: the forms are the core's own, field for field.

They are made from the core's results, so that the promise cannot part from what is answered.
"""

from __future__ import annotations

import dataclasses
import datetime
import functools
import operator
import types
from functools import cache
from typing import Any, Union, get_args, get_origin, get_type_hints

from answering import Out
from pydantic import create_model
from rennbahn.kinds.against import Beside
from rennbahn.kinds.budget import BudgetResult
from rennbahn.kinds.crossing import Crossing
from rennbahn.kinds.expected import AloneRates, Expected, ExpectedMargin
from rennbahn.kinds.grid import GridBlock
from rennbahn.kinds.ladder import LadderBlock, Need
from rennbahn.kinds.limits import Limits
from rennbahn.kinds.memory import Short
from rennbahn.kinds.parts import Change, PartSuite, Weighs
from rennbahn.kinds.proxy import Gauge
from rennbahn.kinds.readers import ForReader, LaneForReader, TestForReader
from rennbahn.kinds.scaling import ScalingBlock, Step
from rennbahn.kinds.several import SeveralBlock
from rennbahn.kinds.sweep import EqualPower, SweepBlock
from rennbahn.kinds.why import Derivation

from findings.schemas import JoinedOut, LaneRef, SentenceOut

#: What is said in words beside numbers.
_IN_WORDS = (
    Need,
    EqualPower,
    Step,
    Short,
    PartSuite,
    Change,
    Beside,
    TestForReader,
    LaneForReader,
    ExpectedMargin,
    Crossing,
)


@cache
def _out(core: Any) -> Any:
    """A form for one of the core's results; a trailing underscore of a field is none of its name."""
    hints = get_type_hints(core)
    found: dict[str, Any] = {
        one.name.rstrip("_"): (_form(hints[one.name]), ...) for one in dataclasses.fields(core)
    } | ({"words": (str, ...)} if core in _IN_WORDS else {})
    return create_model(f"Answer{core.__name__}", __base__=Out, __doc__=core.__doc__, **found)


def _form(hint: Any) -> Any:
    """The form of a type: results become forms, tuples lists."""
    form: Any = hint
    if dataclasses.is_dataclass(hint):
        return _out(form)
    parts = get_args(hint)
    if get_origin(hint) is tuple:
        return _list(_form(parts[0]))
    if get_origin(hint) in (Union, types.UnionType):
        found: Any = functools.reduce(operator.or_, (_form(one) for one in parts))
        return found
    if get_origin(hint) is dict:
        return dict.__class_getitem__((str, _form(parts[1])))
    return hint


def _block(name: str, core: Any) -> Any:
    """A block with its sentence, and the words of its group."""
    own: dict[str, Any] = {"sentence": (SentenceOut, ...), "group_words": (str, ...)}
    return create_model(name, __base__=_out(core), **own)


def _list(block: Any) -> Any:
    return list[block]


AnswerOut: Any = create_model(
    "AnswerOut",
    __base__=Out,
    __doc__="The answer of a study's own kind: blocks by group and figure under its kind.",
    kind=(str, ...),
    #: None while there is nothing to tell.
    sentence=(SentenceOut | None, ...),
    interval_words=(str, ...),
    ladder=(_list(_block("LadderAnswer", LadderBlock)), ...),
    sweep=(_list(_block("SweepAnswer", SweepBlock)), ...),
    grid=(_list(_block("GridAnswer", GridBlock)), ...),
    scaling=(_list(_block("ScalingAnswer", ScalingBlock)), ...),
    budget=(_list(_block("BudgetAnswer", BudgetResult)), ...),
    several=(_list(_block("SeveralAnswer", SeveralBlock)), ...),
    proxy=(_list(_block("ProxyAnswer", Gauge)), ...),
    currency=(str, ...),
    #: Lanes of an older study that stand in it too.
    joined=(_list(JoinedOut), ...),
)


class PriceOut(Out):
    """What a part in which lanes differ costs: where that comes from, and of which day."""

    lane_id: int
    part: str
    price: float
    currency: str
    price_from: str
    price_day: datetime.date | None


ForReaderOut: Any = create_model(
    "ForReaderOut",
    __base__=_out(ForReader),
    __doc__="What a study is to a reader: whether it matters, test by test and lane by lane, and what it costs them.",
    sentence=(SentenceOut, ...),
    #: What they need, where prices are known; empty where none are.
    cheapest_words=(str, ...),
    #: Why money is not added up; empty where it is.
    money_words=(str, ...),
    prices=(_list(PriceOut), ...),
)


ExpectedOut: Any = create_model("ExpectedOut", __base__=_out(Expected), sentence=(SentenceOut, ...))
HeldOut: Any = create_model(
    "HeldOut",
    __base__=_out(Limits),
    __doc__="What holds every lane in every test, what each side could do alone, and what was not run.",
    sentence=(SentenceOut, ...),
    alone=(_out(AloneRates), ...),
    #: None while no resolution is asked about.
    expected=(ExpectedOut | None, ...),
    #: What this group is run at, where its tests say.
    resolutions=(_list(str), ...),
)


class SetOfTestsOut(Out):
    """A set of tests as a suite of its own."""

    name: str
    average: _out(PartSuite)  # type: ignore[valid-type]
    low_1: _out(PartSuite)  # type: ignore[valid-type]


PartsOut: Any = create_model(
    "PartsOut",
    __base__=Out,
    __doc__="An answer in parts: named sets of games, what changes from group to group, what each test weighs.",
    parts=(_list(SetOfTestsOut), ...),
    changes=(_list(_out(Change)), ...),
    influence=(_list(_out(Weighs)), ...),
)


AgainstOut: Any = create_model(
    "AgainstOut",
    __base__=Out,
    __doc__="Another study of the question beside this one, over the tests that both ran, and what differs.",
    study_id=(int, ...),
    question=(str, ...),
    baseline=(LaneRef, ...),
    other=(LaneRef, ...),
    lanes=(_list(LaneRef), ...),
    figures=(_list(_out(Beside)), ...),
    differences=(_list(str), ...),
)
CrossingOut: Any = _out(Crossing)
WhyOut: Any = _out(Derivation)
