"""What a plan says in words."""

from __future__ import annotations

from collections.abc import Sequence

from rennbahn.display import percent
from rennbahn.planning.order_tells import Telling
from rennbahn.planning.schedule import PlannedTest


def length_words(tests: Sequence[PlannedTest]) -> str:
    """What the times of a plan rest on where scenes have no length; empty where all have one."""
    scenes = {(test.game, test.scene): test.length_s for test in tests if not test.length_known}
    if not scenes:
        return ""
    (game, scene), seconds = next(iter(scenes.items()))
    rest = "until it has one, or passes that agree on one"
    if len(scenes) == 1:
        return f"{game}, {scene} has no length yet: these times reckon with {seconds:g} s a pass {rest}."
    return (
        f"{len(scenes)} scenes have no length yet: these times reckon with {seconds:g} s a pass until they have one, "
        "or passes that agree on one."
    )


def left_words(told: Telling, allowance: float, between: float | None) -> str:
    """By how much what an order leaves open could move the answer: a drift that it cannot tell from lanes, sessions on
    which a lane stands alone. Empty where it leaves neither.
    """
    words = []
    if told.untold:
        words.append(
            f"This order cannot tell drift from lanes: a drift of {percent(allowance)}% an hour, as the study allows "
            f"for, could move the answer by up to {percent(told.drift)}% either way."
        )
    if told.apart > 0:
        where = "all tests" if told.apart == 1 else f"{percent(told.apart)}% of the tests"
        alone = f"In {where} a lane stands on one session that the baseline has no part in"
        if between is None:
            words.append(f"{alone}: what shifts from session to session would count as a difference between lanes.")
        elif between:
            words.append(
                f"{alone}: sessions that differ by {percent(between)}% could move the answer by "
                f"{percent(told.sessions)}% either way. A second session of each lane narrows that."
            )
    return " ".join(words)
