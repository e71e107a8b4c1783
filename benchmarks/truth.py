"""Verdicts and answers of every kind on trial: simulated studies with known truth, by findings and by hand."""

from __future__ import annotations

import sys

import numpy as np
from trials import beside, kinds, verdicts

STUDIES = 1000
SEED = 20261125


def main(studies: int = STUDIES) -> int:
    """Print every rate beside what is wanted of it."""
    print(f"verdicts on trial, {studies} studies a case{'':<29}findings     hand   wanted")
    for name, case in {**verdicts.CASES, **kinds.CASES, **beside.CASES}.items():
        print(name)
        for row in case(np.random.default_rng(SEED), studies):
            hand = "" if row.hand is None else f"{row.hand:.3f}"
            low, high = row.wanted
            missed = "" if low <= row.ours <= high else "   missed"
            print(f"  {row.case:<66} {row.ours:8.3f} {hand:>8}   {low:g} to {high:g}{missed}")
    return 0


if __name__ == "__main__":
    sys.exit(main(*map(int, sys.argv[1:])))
