"""Latency on trial: intervals, orders, camera rates and proposals, by what is answered and by hand."""

from __future__ import annotations

import sys

from trials.latency import films, trial
from trials.rates import tell

STUDIES, SEED = 3000, 20261202

if __name__ == "__main__":
    studies = int(sys.argv[1]) if len(sys.argv) > 1 else STUDIES
    tell(
        f"latency on trial, {studies} studies, {10 * studies} clips a case",
        [*trial(studies, SEED), *films(studies // 50, SEED)],
    )
