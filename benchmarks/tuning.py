"""Tuning on trial: edges, fronts, a rival's watts and knees, by what is answered and by hand."""

from __future__ import annotations

import sys

from trials.rates import tell
from trials.tuning import trial

LOGS, SEED = 1500, 20261202

if __name__ == "__main__":
    logs = int(sys.argv[1]) if len(sys.argv) > 1 else LOGS
    tell(f"tuning on trial, {logs} logs a case", trial(logs, SEED))
