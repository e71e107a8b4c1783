"""Tuning on trial: edges, fronts, a rival's watts and knees, by what is answered and by hand."""

from __future__ import annotations

import sys

from trials.tuning import trial

LOGS = 1500
SEED = 20261202


def main(logs: int = LOGS) -> int:
    """Print every rate."""
    print(f"tuning on trial, {logs} logs a case{'':<46}answered     hand   wanted")
    for rate in trial(logs, SEED):
        hand = "–" if rate.hand is None else f"{rate.hand:.1%}"
        print(f"  {rate.name:<74}{rate.found:8.1%} {hand:>8}   {rate.wanted}")
    return 0


if __name__ == "__main__":
    sys.exit(main(*map(int, sys.argv[1:])))
