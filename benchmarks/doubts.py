"""The checks on trial: hits among planted faults, false alarms among good passes, by two generators."""

from __future__ import annotations

import sys

from trials.doubts import GENERATORS, trial

STUDIES = 60


def main() -> int:
    """Print a line for each check and generator."""
    print(f"\nchecks of passes: {STUDIES} studies of 54 passes, each fault planted once in each")
    print(f"{'check':20}{'generator':18}{'hits':>8}{'false alarms a pass':>22}")
    for generator in GENERATORS:
        for rate in trial(generator, STUDIES, seed=7):
            print(f"{rate.check:20}{generator:18}{rate.hit_rate:8.1%}{rate.alarm_rate:22.2%}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
