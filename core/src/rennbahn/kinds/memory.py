"""Memory asked against memory fitted: where a test wants more than a lane has, and what that costs it there."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from rennbahn.kinds.fit import Fit
from rennbahn.kinds.watts import read_in

_MIB_A_GB = 1024.0
#: A lane that fills this share of what it has is short: what it asked for may be more than it was given.
FULL = 0.95
#: Lost for good from this share on: memory ran out.
COLLAPSE = 0.1


@dataclass(frozen=True)
class Short:
    """A lane in a test that asks for more memory than it has, both in GB.

    `lost` is its rate there over what the lane is worth in the tests whose memory suffices, held against the lanes
    that have enough, as a share with its ends; `runs_out` where at least a tenth is surely lost.
    """

    lane: str
    test: str
    asked_gb: float
    fitted_gb: float
    lost: float | None
    low: float | None
    high: float | None
    runs_out: bool


def shorts_of(fit: Fit) -> tuple[Short, ...]:
    """Lanes that are short of memory, test by test; nothing where captures or lanes do not say.

    What a test asks for is the most that any lane used that had more: a lane that is full shows only what it has.
    """
    fitted = np.array(
        [np.nan if (size := fit.study.lanes[lane].facts.memory_gb) is None else size for lane in fit.lanes]
    )
    used = read_in(fit, "memory_mib") / _MIB_A_GB
    if np.isnan(used).all() or np.isnan(fitted).all():
        return ()
    with np.errstate(invalid="ignore"):
        roomy = used < FULL * fitted[:, None]
    asked = np.where(roomy.any(axis=0), np.where(roomy, used, 0.0).max(axis=0), np.nan)
    with np.errstate(invalid="ignore"):
        short = fit.there & (asked[None, :] > FULL * fitted[:, None])
    enough = fit.there & ~short & ~np.isnan(asked)[None, :]
    found = []
    for test in range(short.shape[1]):
        for lane in np.flatnonzero(short[:, test]).tolist():
            margin = _lost(fit, lane, test, enough)
            lost, low, high = margin if margin is not None else (None, None, None)
            found.append(
                Short(
                    fit.name(lane), fit.study.tests[fit.tests[test]].id, float(asked[test]), float(fitted[lane]),
                    lost, low, high, high is not None and high < -COLLAPSE,
                )
            )  # fmt: skip
    return tuple(found)


def _lost(
    fit: Fit, lane: int, test: int, enough: np.typing.NDArray[np.bool_]
) -> tuple[float, float | None, float | None] | None:
    """The ratio of ratios: the lane over the others here, over the same where memory suffices for all of them."""
    others = np.flatnonzero(enough[:, test])
    others = others[others != lane]
    elsewhere = [t for t in np.flatnonzero(enough[lane]).tolist() if t != test and enough[others, t].all()]
    if not len(others) or not elsewhere:
        return None
    weights = np.zeros((1, *fit.there.shape))
    weights[0, lane, test] = 1.0
    weights[0, others, test] = -1.0 / len(others)
    weights[0, lane, elsewhere] -= 1.0 / len(elsewhere)
    for t in elsewhere:
        weights[0, others, t] += 1.0 / (len(others) * len(elsewhere))
    return fit.weighed(weights).one(fit.level).share()
