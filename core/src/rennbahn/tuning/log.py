"""A tuning log: settings of a part, and steps in the order in which they were tried."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from statistics import fmean

#: What a setting can be; of the first three nothing is proposed where no limit is known.
KINDS = ("voltage", "power", "current", "clock", "timing", "other")
LIMITED = frozenset(KINDS[:3])
#: How a stability run can end.
PASSED = "passed"
OUTCOMES = (PASSED, "crashed", "errors", "artefacts", "hang")
#: What stability runs of a step last together before it is proven, minutes.
USUAL_MINUTES = 60.0

PROVEN, UNPROVEN, UNSTABLE = "proven", "unproven", "unstable"


@dataclass(frozen=True)
class Setting:
    """Something that can be set, in its unit: where it stands at stock, its finest step, the maker's stated limits.

    `harder` is the way that leaves what surely runs: 1 up, -1 down; without it that is away from stock, to either side.
    """

    unit: str
    stock: float
    resolution: float
    limit_low: float | None = None
    limit_high: float | None = None
    kind: str = "other"
    harder: int | None = None

    def way_of(self, value: float) -> int:
        """Which way is hard from a value: 1 up, -1 down, 0 where it stands at stock and no way is named."""
        return self.harder or (value > self.stock) - (value < self.stock)

    def reaches(self, value: float, other: float) -> bool:
        """Whether a value is the other one, or lies further on in the hard way as seen from it."""
        way = self.way_of(other)
        return value == other or way == 0 or way * (value - other) > 0

    def crosses(self, value: float) -> bool:
        """Whether a value lies past a stated limit."""
        return (self.limit_high is not None and value > self.limit_high) or (
            self.limit_low is not None and value < self.limit_low
        )


@dataclass(frozen=True)
class Stability:
    """A run of a program that strains the part, for so many minutes, and how it ended."""

    program: str
    minutes: float
    outcome: str


@dataclass(frozen=True)
class Quick:
    """A quick pass: fps (or a score), and W where they were read."""

    fps: float
    w: float | None = None


class Measured:
    """Something of which quick passes were run."""

    passes: tuple[Quick, ...]

    @property
    def fps(self) -> float | None:
        """Mean over its quick passes."""
        return fmean(one.fps for one in self.passes) if self.passes else None

    @property
    def watts(self) -> list[float]:
        """W of its quick passes, where they were read."""
        return [one.w for one in self.passes if one.w is not None]

    @property
    def w(self) -> float | None:
        """Mean over those of its quick passes whose watts were read."""
        return mean_told(self.watts)


def mean_told(values: Iterable[float | None]) -> float | None:
    """Mean of what was read of several; None where nothing was."""
    told = [one for one in values if one is not None]
    return fmean(told) if told else None


@dataclass(frozen=True)
class Step(Measured):
    """What was set, what was read back from a second place, how stable it was, what quick passes gave, on which sample.

    What `set` does not name is at stock.
    """

    id: str
    set: Mapping[str, float]
    read_back: Mapping[str, float] = field(default_factory=dict)
    stability: tuple[Stability, ...] = ()
    passes: tuple[Quick, ...] = ()
    sample: str = ""

    def state(self, minutes: float = USUAL_MINUTES) -> str:
        """Unstable where any run did not pass; proven where all did and last that long together; else unproven."""
        if any(run.outcome != PASSED for run in self.stability):
            return UNSTABLE
        told = bool(self.stability) and sum(run.minutes for run in self.stability) >= minutes
        return PROVEN if told else UNPROVEN

    @property
    def minutes_passed(self) -> float:
        """How long its stability runs that passed lasted together."""
        return sum(run.minutes for run in self.stability if run.outcome == PASSED)


@dataclass(frozen=True)
class Rival(Measured):
    """What the part is held against at equal power."""

    passes: tuple[Quick, ...]


@dataclass(frozen=True)
class TuningLog:
    """Settings by name, steps in order, and a rival."""

    settings: Mapping[str, Setting]
    steps: tuple[Step, ...]
    rival: Rival | None = None
    stability_min: float = USUAL_MINUTES

    def value(self, step: Step | None, setting: str) -> float:
        """What a setting stood at in a step; at stock before the first."""
        stock = self.settings[setting].stock
        return stock if step is None else step.set.get(setting, stock)

    def reaches(self, step: Step, other: Step, but: str | None = None) -> bool:
        """Whether a step reaches another in every setting, or in all but one."""
        return all(
            one.reaches(self.value(step, name), self.value(other, name))
            for name, one in self.settings.items()
            if name != but
        )

    def unstable(self, sample: str) -> list[Step]:
        """The steps of a sample that failed."""
        return [one for one in self.steps if one.sample == sample and one.state(self.stability_min) == UNSTABLE]

    def beyond_a_failure(self, step: Step) -> bool:
        """Whether a step reaches one that failed, whichever came first."""
        return any(one is not step and self.reaches(step, one) for one in self.unstable(step.sample))

    def over_limit(self, step: Step) -> tuple[str, ...]:
        """The settings whose stated limit a step crosses, as set or as read back."""
        told = [(name, value) for of in (step.set, step.read_back) for name, value in of.items()]
        return tuple(dict.fromkeys(name for name, value in told if self.settings[name].crosses(value)))
