"""Sentences on trial: what is claimed of incomplete studies of every kind, held against the truth."""

from __future__ import annotations

import sys

from trials.sentences import KINDS, trial

STUDIES = 600


def main() -> int:
    """Print a line for each kind; a fault of composition ends in an error."""
    print(f"\nsentences: {STUDIES} studies a kind, seven in ten of them incomplete")
    print(f"{'kind':12}{'sentences':>10}{'claims':>8}{'false by noise':>16}{'faults of composition':>24}")
    faults = 0
    for kind in KINDS:
        found = trial(kind, STUDIES, seed=5)
        faults += len(found.faults)
        print(f"{kind:12}{found.sentences:10}{found.claims:8}{found.false_share:16.1%}{len(found.faults):24}")
    return 1 if faults else 0


if __name__ == "__main__":
    sys.exit(main())
