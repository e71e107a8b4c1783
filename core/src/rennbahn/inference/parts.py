"""A variance that has several parts, each known as well as its degrees of freedom say (reading 18).

Source: Satterthwaite, "An approximate distribution of estimates of variance components", Biometrics Bulletin 2:110,
1946; Welch, "The generalization of 'Student's' problem", Biometrika 34:28, 1947.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


def summed(*parts: tuple[Any, Any]) -> tuple[Floats, Floats]:
    """The variance of a sum of independent parts and its degrees of freedom, from those of each; all broadcast.

    Endless where nothing scatters, and where every part that does is known for certain.

    >>> variance, df = summed((4.0, 10.0), (1.0, math.inf), (0.0, 1.0))
    >>> float(variance), float(df)
    (5.0, 15.625)
    """
    variance = sum((np.asarray(part, dtype=np.float64) for part, _ in parts), np.zeros(()))
    with np.errstate(invalid="ignore", divide="ignore"):
        spread = sum((np.asarray(part, dtype=np.float64) ** 2 / df for part, df in parts), np.zeros(()))
        return variance, np.where(variance > 0, variance**2 / spread, math.inf)
