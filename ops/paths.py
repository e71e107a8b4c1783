"""Where things are kept. Standard library only: this runs before anything is installed."""

from __future__ import annotations

import hashlib
import os
from pathlib import Path

REPOSITORY = Path(__file__).resolve().parent.parent
VENV = REPOSITORY / ".venv"
WEB = REPOSITORY / "web"
IS_ROOT = os.geteuid() == 0


def state_dir() -> Path:
    """A directory of this checkout's own for clusters, keys and logs, outside what version control sees.

    As root it lies under /var/lib, where the postgres user can reach it; a home directory often lets nobody in.
    """
    if override := os.environ.get("RENNBAHN_STATE"):
        return Path(override).resolve()
    if IS_ROOT:
        own = hashlib.sha256(str(REPOSITORY).encode()).hexdigest()[:10]
        return Path("/var/lib/rennbahn") / own
    return REPOSITORY / ".state"
