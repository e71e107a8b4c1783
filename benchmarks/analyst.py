"""What an analyst would do with the same rows: fetch them, group them in pandas, compute t intervals.

One figure and one low under one school, no cap, no other kind of mean, no agreement, no words.
"""

from __future__ import annotations

import json
from itertools import combinations

import numpy as np
import pandas as pd
import psycopg
from scipy import stats

FIGURES = ["average_fps", "low_1_percentile"]
_ROWS = f"""
    SELECT p.test_id, p.lane_id, {", ".join(f"f.{name}" for name in FIGURES)}
    FROM studies_pass p JOIN studies_test t ON t.id = p.test_id
    JOIN intake_capture c ON c.on_pass_id = p.id JOIN intake_capturefigures f ON f.id = c.current_id
    WHERE t.study_id = %s AND p.state = 'accepted'
"""
_MATRIX = """
    SELECT p.id, p.lane_id, p.test_id, p.number, p.state, p.reason, c.id, a.name, a.sha256, f.average_fps,
        f.low_1_percentile, f.low_01_percentile, f.frames, f.duration_s, f.stutters, f.bound_by, f.cap, f.cap_name,
        f.lock_fps, f.flags, f.support
    FROM studies_pass p JOIN studies_test t ON t.id = p.test_id JOIN studies_lane l ON l.id = p.lane_id
    LEFT JOIN intake_capture c ON c.on_pass_id = p.id LEFT JOIN intake_arrival a ON a.id = c.arrival_id
    LEFT JOIN intake_capturefigures f ON f.id = c.current_id
    WHERE t.study_id = %s ORDER BY t.position, l.position, p.number
"""


def fetched(connection: psycopg.Connection, study: int) -> pd.DataFrame:
    """The rows of a study."""
    rows = connection.execute(_ROWS, (study,)).fetchall()
    return pd.DataFrame(rows, columns=["test", "lane", *FIGURES])


def margins(connection: psycopg.Connection, study: int) -> str:
    """Every pair of lanes: margin and interval of each test, and over all tests."""
    table = fetched(connection, study)
    answer = []
    for figure in FIGURES:
        table["log"] = np.log(table[figure])
        cells = table.groupby(["test", "lane"]).agg(mean=(figure, "mean"), var=("log", "var"), n=("log", "count"))
        wide = cells.unstack("lane")
        for a, b in combinations(sorted(table["lane"].unique()), 2):
            ratio = wide["mean"][b] / wide["mean"][a]
            n_a, n_b = wide["n"][a], wide["n"][b]
            pooled = ((n_a - 1) * wide["var"][a] + (n_b - 1) * wide["var"][b]) / (n_a + n_b - 2)
            error = np.sqrt(pooled * (1 / n_a + 1 / n_b))
            reach = stats.t.ppf(0.975, n_a + n_b - 2) * error
            logs = np.log(ratio)
            suite, spread = logs.mean(), np.sqrt((error**2).sum()) / len(logs)
            answer.append(
                {
                    "a": int(a), "b": int(b), "figure": figure, "margin": float(np.expm1(suite)),
                    "low": float(np.expm1(suite - 1.96 * spread)), "high": float(np.expm1(suite + 1.96 * spread)),
                    "tests": np.expm1([logs, logs - reach, logs + reach]).T.tolist(),
                }
            )  # fmt: skip
    return json.dumps(answer)


def matrix(connection: psycopg.Connection, study: int) -> str:
    """All passes of a study: fetched and dumped."""
    return json.dumps(connection.execute(_MATRIX, (study,)).fetchall())
