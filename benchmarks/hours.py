"""The next hour on trial: verdicts settled in the same hours as planned, by hand and as is chosen."""

from __future__ import annotations

import sys

from trials.hours import trial

STUDIES = 300
SEED = 20261201
#: Hours after three passes of every test, and minutes that a change of lanes takes.
CASES = ((1.5, 5), (2.0, 30), (3.0, 30), (4.0, 30))


def main(studies: int = STUDIES) -> int:
    """Print every way, case by case."""
    print(f"the next hour on trial, {studies} studies of ten tests a case, looks after 3 to 12 passes")
    for hours, change in CASES:
        print(f"{hours:g} h, lanes changed in {change} min")
        for name, tally in trial(studies, SEED, hours * 3600.0, change * 60.0).items():
            added, kept = (sum(held) / len(held) if held else 1.0 for held in (tally.added, tally.not_added))
            print(
                f"  {name:<14} settled a study {tally.settled / studies:5.2f}   equal tests called different "
                f"{tally.false / tally.equal:6.1%}   intervals hold the truth: added to {added:.1%}, not {kept:.1%}"
            )
    return 0


if __name__ == "__main__":
    sys.exit(main(*map(int, sys.argv[1:])))
