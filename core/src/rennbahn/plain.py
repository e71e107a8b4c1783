"""Frozen result objects as plain data."""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping
from typing import Any

import numpy as np


def plain(value: Any) -> Any:
    """`value` as dictionaries, lists, strings and numbers that JSON can hold, in field order.

    Dataclasses become dictionaries of their fields (`from_` is `from`), arrays and tuples become lists.
    """
    if dataclasses.is_dataclass(value) and not isinstance(value, type):
        return {f.name.rstrip("_"): plain(getattr(value, f.name)) for f in dataclasses.fields(value)}
    if isinstance(value, Mapping):
        return {str(key): plain(item) for key, item in value.items()}
    if isinstance(value, np.ndarray):
        return value.tolist()
    if isinstance(value, np.generic):
        return value.item()
    if isinstance(value, (list, tuple)):
        return [plain(item) for item in value]
    return value
