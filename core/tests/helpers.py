"""What several tests share."""

from __future__ import annotations

import json
import math
from pathlib import Path
from typing import Any

from rennbahn.capture import ColumnMap, ColumnUse

REFERENCE = Path(__file__).parent / "reference"
FRAME_MS = ColumnMap((ColumnUse("frame_time_ms", "frame_time", "ms"),))


def load(name: str) -> Any:
    """A reference file as data."""
    return json.loads((REFERENCE / name).read_text(encoding="utf-8"))


def differences(got: Any, wanted: Any, path: str = "") -> list[str]:
    """Where two results part beyond the reference tolerance, key order included."""
    if isinstance(wanted, dict) and isinstance(got, dict):
        found = [] if list(got) == list(wanted) else [f"{path}: keys {list(got)} instead of {list(wanted)}"]
        for key in wanted:
            if key in got:
                found += differences(got[key], wanted[key], f"{path}/{key}")
        return found
    if isinstance(wanted, list) and isinstance(got, list):
        if len(got) != len(wanted):
            return [f"{path}: {len(got)} values instead of {len(wanted)}"]
        return [d for i, (g, w) in enumerate(zip(got, wanted, strict=True)) for d in differences(g, w, f"{path}[{i}]")]
    if isinstance(wanted, float) and isinstance(got, (int, float)) and not isinstance(got, bool):
        return [] if math.isclose(got, wanted, rel_tol=1e-9, abs_tol=1e-12) else [f"{path}: {got} for {wanted}"]
    return [] if got == wanted and type(got) is type(wanted) else [f"{path}: {got!r} for {wanted!r}"]


def csv_of(values: list[float], name: str = "frame_time_ms") -> bytes:
    """A one-column capture file."""
    return ("\n".join([name, *(repr(v) for v in values)]) + "\n").encode()
