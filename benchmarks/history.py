"""Histories on trial: intervals between and within sessions, directions and steps, by what is answered and by hand."""

from __future__ import annotations

import sys

from trials.history import trial
from trials.rates import tell

HISTORIES, SEED = 3000, 20261202

if __name__ == "__main__":
    histories = int(sys.argv[1]) if len(sys.argv) > 1 else HISTORIES
    tell(f"histories on trial, {histories} a case", trial(histories, SEED))
