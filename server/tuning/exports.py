"""Tuning logs to take along, as CSV."""

from __future__ import annotations

import csv
import io

from sheets import safe_cell

from tuning.logs import step, told
from tuning.queries import one_log, steps_out


def log_csv(log_id: int) -> tuple[str, str]:
    """The steps of a log as a table, and a name for it. Full values: the screen rounds."""
    own = told(one_log(log_id))
    out = io.StringIO()
    sheet = csv.writer(out)
    names = list(own.core.settings)
    units = [f"{name} {own.core.settings[name].unit}".strip() for name in names]
    sheet.writerow(
        [safe_cell(one) for one in (
            "step", "sample", *units, *(f"{one}, read back" for one in units), "state", "how it failed",
            "minutes passed", "beyond a failure", "past a limit", "passes", "fps", "W", "fps a W", "on the front",
            "C", "hotspot C", "fan rpm", "dB(A)", "conclusion", "setup", "bench",
        )]
    )  # fmt: skip
    for kept, one in zip(own.kept, steps_out(own), strict=True):
        stood = [own.core.value(step(kept), name) for name in names]
        sheet.writerow(
            [
                one.number, safe_cell(one.sample), *stood, *(one.read_back.get(name, "") for name in names), one.state,
                safe_cell(one.why_unstable), one.minutes, _yes(one.beyond_a_failure),
                safe_cell("; ".join(one.over_limit)),
                len([row for row in one.passes if not row.struck]), one.fps, one.w, one.fps_per_w, _yes(one.on_front),
                one.temperature_c, one.hotspot_c, one.fan_rpm, one.noise_dba, safe_cell(one.conclusion),
                safe_cell(one.setup_name), "real" if own.log.seed is None else "simulated",
            ]
        )  # fmt: skip
    return out.getvalue(), f"tuning-{log_id}.csv"


def _yes(value: bool | None) -> str:
    return "" if value is None else "yes" if value else "no"
