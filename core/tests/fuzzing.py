"""How long fuzz tests run: one bounded round within the tests, rounds with further seeds for so many seconds by
`RENNBAHN_FUZZ_SECONDS`."""

from __future__ import annotations

import os
import random
import time
from collections.abc import Callable, Iterator
from typing import Any

import hypothesis

SECONDS = float(os.environ.get("RENNBAHN_FUZZ_SECONDS", "0"))
#: Examples of a round; further rounds are larger, since starting one costs time too.
EXAMPLES = 60 if not SECONDS else 400


def rounds() -> Iterator[int]:
    """Seeds, one at least."""
    end = time.monotonic() + SECONDS
    yield 1
    while time.monotonic() < end:
        yield random.SystemRandom().randrange(2**32)


def fuzz(strategies: dict[str, Any], probe: Callable[..., None], examples: int = EXAMPLES) -> int:
    """Call a probe with what strategies give, for as many rounds as there is time; how many calls it was."""
    calls = 0

    def counted(**drawn: Any) -> None:
        nonlocal calls
        calls += 1
        probe(**drawn)

    settings = hypothesis.settings(
        max_examples=examples, deadline=None, database=None, print_blob=True, derandomize=False,
        suppress_health_check=list(hypothesis.HealthCheck),
    )  # fmt: skip
    for seed in rounds():
        hypothesis.seed(seed)(settings(hypothesis.given(**strategies)(counted)))()
    if SECONDS:
        print(f"{probe.__name__}: {calls:,} examples")
    return calls
