"""Files are read in turn: who hands in a slow one waits for it, and nobody else does."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator
from contextlib import ExitStack
from typing import Any

import pytest
from intake import proposals
from testkit import Bench, Caller
from waiting import ASKS, MOST_OF_ALL, Busy, Turns


class Asker:
    """Somebody who asks in a thread of their own, and keeps a turn until they are let go."""

    def __init__(self, turns: Turns, who: str) -> None:
        self.came, self.refused, self._go = threading.Event(), "", threading.Event()
        self.thread = threading.Thread(target=self._ask, args=(turns, who))
        self.thread.start()

    def _ask(self, turns: Turns, who: str) -> None:
        ASKS.set(who)
        try:
            with turns.turn():
                self.came.set()
                self._go.wait(20)
        except Busy as busy:
            self.refused = busy.message

    def end(self) -> None:
        self._go.set()
        self.thread.join(20)


@pytest.fixture
def ask() -> Iterator[Callable[..., Asker]]:
    with ExitStack() as left:

        def begin(turns: Turns, who: str, *, waits: bool = False) -> Asker:
            asker = Asker(turns, who)
            left.callback(asker.end)
            end = time.monotonic() + 10
            while not asker.came.is_set() and asker.thread.is_alive() and not (waits and turns.waiting()):
                assert time.monotonic() < end
                time.sleep(0.005)
            return asker

        yield begin


def test_one_persons_slow_files_leave_room_for_others(ask: Callable[..., Asker]) -> None:
    turns = Turns("Other files are being read", 2, 10.0)
    slow = ask(turns, "ada")
    second = ask(turns, "ada", waits=True)
    third = ask(turns, "ada")
    assert third.refused == "Other files are being read for you just now."
    assert not second.came.is_set(), "one of a person's at a time"
    other = ask(turns, "bo")
    assert other.came.is_set(), "whoever waits behind themselves keeps nobody else"
    slow.end()
    assert second.came.wait(10)


def test_those_who_wait_come_in_their_order_and_are_never_too_many(ask: Callable[..., Asker]) -> None:
    turns = Turns("Other studies are being sketched", 1, 10.0)
    first = ask(turns, "ada")
    queue = [ask(turns, who, waits=True) for who in ("bo", "cy", "dee", "fay", "gus")]
    assert ask(turns, "eve").refused == "Other studies are being sketched just now."
    assert 1 + len(queue) == MOST_OF_ALL
    for before, after in zip([first, *queue], queue, strict=False):
        assert not after.came.is_set()
        before.end()
        assert after.came.wait(10)


def test_whom_nobody_lets_in_for_long_is_told_so(ask: Callable[..., Asker]) -> None:
    turns = Turns("Other files are being read", 1, 0.05)
    ask(turns, "ada")
    late = ask(turns, "bo")
    late.thread.join(10)
    assert late.refused == "Other files are being read just now."


def test_the_door_says_who_asks(bench: Bench, lead: Caller, monkeypatch: pytest.MonkeyPatch) -> None:
    asked: list[str] = []

    def note(function: Any, *given: Any) -> Any:
        asked.append(ASKS.get())
        return function(*given)

    monkeypatch.setattr(proposals, "bounded", note)
    for at, who in enumerate((bench.tester, lead)):
        who.hand_in(bench.id, f"{at}.csv", bench.log(at))
    assert len(set(asked)) == 2
    assert all(name.startswith("person ") for name in asked)
