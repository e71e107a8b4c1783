"""Histories on trial: intervals between and within sessions, directions and steps, by what is answered and by hand."""

from __future__ import annotations

import sys

from trials.history import trial

HISTORIES = 3000
SEED = 20261202


def main(histories: int = HISTORIES) -> int:
    """Print every rate."""
    print(f"histories on trial, {histories} a case{'':<36}answered     hand   wanted")
    for rate in trial(histories, SEED):
        hand = "–" if rate.hand is None else f"{rate.hand:.1%}"
        print(f"  {rate.name:<68}{rate.found:8.1%} {hand:>8}   {rate.wanted}")
    return 0


if __name__ == "__main__":
    sys.exit(main(*map(int, sys.argv[1:])))
