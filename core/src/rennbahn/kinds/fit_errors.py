"""How sure weighed sums of ln x over many lanes are: readings 17, 18, 39 and 40 with all lanes of a sum (reading 41).

Sums N, lanes L, tests T, scenes G, units K.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from rennbahn.comparing.cells import Sheet, median_factor
from rennbahn.comparing.noise import NoiseOf
from rennbahn.comparing.suite_errors import FEWEST_FREE, in_rounds
from rennbahn.comparing.units import Units
from rennbahn.inference.moderation import STUDY
from rennbahn.inference.parts import summed
from rennbahn.inference.reach import half_width
from rennbahn.inference.sessions import Between

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]
Ats = NDArray[np.intp]


@dataclass(frozen=True)
class Place:
    """Which cells a fit is of: a figure of a sheet, lanes and tests by their numbers, and the noise of those lanes."""

    sheet: Sheet
    figure: int
    lanes: Ats
    tests: Ats
    noise: NoiseOf

    def of(self, cells: Any) -> Any:
        """Of arrays (F, L, T, ..) the lanes and tests."""
        return cells[self.figure][self.lanes[:, None], self.tests[None, :]]


@dataclass(frozen=True)
class SumErrors:
    """Standard error, degrees of freedom and bias of sums, shape (N,), NaN without noise; `one_part` is how far one
    part makes the whole variance: 1 where it is all of one pool."""

    error: Floats
    df: Floats
    bias: Floats
    one_part: Floats


def errors_of(place: Place, weights: Floats, u: Floats, later: Floats, level: float) -> SumErrors:
    """The errors of sums with `weights` (N, L, T); `u` (L, T) is how far cells scatter as a share of their scene's
    variance, `later` (L, T) their hour of the bench."""
    noise, at = place.noise, place.figure
    scene = place.sheet.scene[place.tests]
    scenes, back = np.unique(scene, return_inverse=True)
    of_scene = (back[:, None] == np.arange(len(scenes))[None, :]).astype(np.float64)
    v, of_df, on_study = (x[at, 0, scenes] for x in (noise.v, noise.df, noise.pool == STUDY))
    part = (weights**2 * u) @ of_scene * np.nan_to_num(v)
    used = ((weights != 0).any(axis=1).astype(np.float64) @ of_scene) > 0
    with np.errstate(invalid="ignore"):
        unknown = (used & ~(of_df >= 1)).any(axis=-1)
    by_scene = part.sum(axis=1)
    pools = np.where(on_study, 0.0, by_scene)
    study = np.where(on_study, by_scene, 0.0).sum(axis=-1)
    df_pool = np.maximum(np.nan_to_num(of_df, posinf=np.inf), 1.0)
    whole_noise = by_scene.sum(axis=-1)
    with np.errstate(invalid="ignore", divide="ignore"):
        spread = (pools**2 / df_pool).sum(axis=-1) + study**2 / (df_pool[on_study].max() if on_study.any() else 1.0)
        df_noise = 1.0 / (spread / whole_noise**2 + noise.loss_of(part.sum(axis=2), at))
        df_noise = np.where(whole_noise > 0, df_noise, 1.0)
    behind = np.einsum("nlt,lt->n", weights, later)
    drift = float(noise.slope_var[at, 0]) * behind**2
    bias = float(noise.held[at, 0]) * noise.allowance * np.abs(behind)
    sessions, df_sessions = _sessions(place, weights)
    others = (drift, max(float(noise.freedom[at, 0]), 1.0)), (sessions, df_sessions)
    variance, df = summed((whole_noise, df_noise), *others)
    reach = half_width(np.sqrt(variance), df, bias, level)
    squares = (pools**2).sum(axis=-1) + study**2
    rounds = _rounds(place, weights)
    if rounds is not None:
        instead, df_units, rare = rounds
        by_units, df_by_units = summed((instead, df_units), *others)
        with np.errstate(invalid="ignore"):
            use = rare & (half_width(np.sqrt(by_units), df_by_units, bias, level) > reach)
        variance, df = np.where(use, by_units, variance), np.where(use, df_by_units, df)
        squares = np.where(use, instead**2, squares)
    with np.errstate(invalid="ignore", divide="ignore"):
        one_part = np.where(variance > 0, (squares + drift**2 + sessions**2) / variance**2, 1.0)
    return SumErrors(np.where(unknown, math.nan, np.sqrt(variance)), np.where(unknown, math.nan, df), bias, one_part)


def _sessions(place: Place, weights: Floats) -> tuple[Floats, float]:
    """The part of sessions in which one lane of a sum stands apart from all its others, and its degrees of freedom."""
    between: Between | None = place.sheet.study.method.between
    nothing = np.zeros(len(weights))
    if between is None or between.sd == 0.0:
        return nothing, math.inf
    sessions = place.sheet.sessions
    if not sessions.told[place.figure, place.lanes].all():
        return nothing, math.inf
    there, only = (place.of(x).astype(np.float64) for x in (sessions.there, sessions.only))
    used = (weights != 0).astype(np.float64)
    found = nothing
    for s in np.flatnonzero(there.any(axis=(0, 1))).tolist():
        alone = np.einsum("nlt,lt->nt", used, there[:, :, s]) == 1
        shift = np.where(alone, np.einsum("nlt,lt->nt", weights, only[:, :, s]), 0.0).sum(axis=-1)
        found = found + shift**2
    return between.sd**2 * found, math.inf if between.df is None else between.df


def _rounds(place: Place, weights: Floats) -> tuple[Floats, Floats, Bools] | None:
    """What stands in the place of pass noise where rounds shift tests together: variance, degrees of freedom, and
    whether they do; None where no sum has several tests."""
    used: Bools = np.asarray(weights != 0)
    several: Bools = used.sum(axis=2).max(axis=1) > 1
    if not several.any():
        return None
    found = _of_units(place, weights, used, place.sheet.rounds)
    sessions = place.sheet.sessions
    if sessions.told[place.figure, place.lanes].all() and sessions.there.any():
        by_session = _of_units(place, weights, used, place.sheet.by_session)
        use = by_session[3] >= 2
        found = tuple(np.where(use, b, a) for a, b in zip(found, by_session, strict=True))  # type: ignore[assignment]
    variance, df, ratio, fewest = found
    free = max(float(place.noise.freedom[place.figure, 0]), 1.0)
    rare = several & (fewest >= 1) & (df >= FEWEST_FREE) & in_rounds(ratio, df, free)
    return variance, np.maximum(df, 1.0), rare


def _of_units(
    place: Place, weights: Floats, used: Bools, units: Units
) -> tuple[Floats, Floats, Floats, NDArray[np.int64]]:
    """By sum: the variance that its units give, their degrees of freedom, how far they scatter beyond chance, and how
    many complete ones the lane with the fewest has."""
    at, noise = place.figure, place.noise
    z, t, m = (place.of(x) for x in (units.z, units.t, units.m))
    there: Bools = np.asarray(used.any(axis=2))
    complete = (np.einsum("nlt,ltk->nlk", used.astype(np.float64), (m == 0).astype(np.float64)) == 0) & there[..., None]
    count = complete.sum(axis=-1)
    y = np.einsum("nlt,ltk->nlk", weights, z - float(noise.slope[at, 0]) * t)
    v = np.nan_to_num(noise.v[at, 0, place.sheet.scene[place.tests]])
    by_chance = (noise.h[at, 0][:, None] * v[None, :])[..., None] / np.maximum(m, 1.0)
    alone = np.where(complete, np.einsum("nlt,ltk->nlk", weights**2, by_chance), 0.0).sum(axis=(1, 2))
    with np.errstate(invalid="ignore", divide="ignore"):
        mean = np.where(complete, y, 0.0).sum(axis=-1) / count
        off = np.where(complete, (y - mean[..., None]) ** 2, 0.0).sum(axis=(1, 2))
        df = (count.sum(axis=1) - there.sum(axis=1)).astype(np.float64)
        square = off / df
        factor = median_factor(count, place.sheet.study.method.cell_school) ** 2
        variance = square * np.where(there, factor / count, 0.0).sum(axis=1)
        ratio = square / (alone / count.sum(axis=1))
    return variance, df, ratio, np.where(there, count, np.iinfo(np.int64).max).min(axis=1)
