"""Latency on trial: intervals, orders and camera rates, by what is answered and by hand."""

from __future__ import annotations

import sys

from trials.latency import films, trial

STUDIES = 3000
SEED = 20261202


def main(studies: int = STUDIES) -> int:
    """Print every rate."""
    print(f"latency on trial, {studies} studies and {10 * studies} clips a case{'':<20}answered     hand   wanted")
    for rate in [*trial(studies, SEED), *films(studies // 30, SEED)]:
        hand = "–" if rate.hand is None else f"{rate.hand:.1%}"
        print(f"  {rate.name:<68}{rate.found:8.1%} {hand:>8}   {rate.wanted}")
    return 0


if __name__ == "__main__":
    sys.exit(main(*map(int, sys.argv[1:])))
