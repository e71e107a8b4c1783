"""What a reviewer's own script does with pandas: average fps, three kinds of lows, a few percentiles."""

from __future__ import annotations

import io
from math import ceil

import pandas as pd


def figures(data: bytes) -> dict[str, float]:
    """The figures of a capture with a column `frame_time_ms`."""
    frame_ms = pd.read_csv(io.BytesIO(data))["frame_time_ms"]
    found = {"average_fps": 1000.0 * len(frame_ms) / frame_ms.sum()}
    for q in (1, 10, 50, 90, 95, 99, 99.9):
        found[f"p{q:g}_ms"] = frame_ms.quantile(q / 100)
    longest = frame_ms.sort_values(ascending=False)
    spent = longest.cumsum()
    for share in (0.01, 0.001):
        found[f"low_{share}.percentile"] = 1000.0 / frame_ms.quantile(1 - share)
        found[f"low_{share}.slowest_frames"] = 1000.0 / longest.head(ceil(len(longest) * share)).mean()
        found[f"low_{share}.slowest_time"] = 1000.0 / longest[spent >= spent.iloc[-1] * share].iloc[0]
    return found
