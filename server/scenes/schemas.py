"""Games, scenes and conditions as the API speaks of them."""

from __future__ import annotations

from typing import Annotated, Literal

from answering import Out
from pydantic import Field, StringConstraints
from strict import ONE_LINE, Edit, In

Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120), ONE_LINE]
Text = Annotated[str, StringConstraints(strip_whitespace=True, max_length=4000)]
Fps = Annotated[float, Field(gt=0, le=10_000)]

Seconds = Annotated[int, Field(gt=0, le=7200)]
Word = Annotated[str, StringConstraints(strip_whitespace=True, max_length=60), ONE_LINE]
Mark = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60), ONE_LINE]
LeansOn = Literal["processor", "card", "memory", "link", "drive"]


class GameIn(In):
    """A game with what of its engine matters."""

    name: Name
    genre: Word = ""
    #: Sets of games that one names, as “this year's”; findings have a suite of each.
    marks: list[Mark] = Field(default_factory=list, max_length=12)
    engine_cap_fps: Fps | None = None
    preset_needs_restart: bool = False
    forbids_overlays: bool = False
    has_replay: bool = False
    has_benchmark: bool = False
    notes: Text = ""


class GameEdit(GameIn, Edit):
    """A game in place of what it was."""


class GameOut(GameIn):
    """A game, and how many scenes it has."""

    id: int
    scenes: int
    seen: str


class SceneIn(In):
    """A scene of a game; the game is made if it is not there yet."""

    game: Name
    name: Name
    kind: str = "route"
    #: None until somebody gives it.
    length_s: Seconds | None = None
    start: Text = ""
    route: Text = ""
    end: Text = ""
    warm_up_runs: int = Field(default=1, ge=0, le=20)
    warm_up: Annotated[str, StringConstraints(strip_whitespace=True, max_length=200), ONE_LINE] = ""
    leans_on: list[LeansOn] = Field(default_factory=list, max_length=5)


class SceneEdit(SceneIn, Edit):
    """A scene in place of what it was.

    `run_otherwise` says whether it is run otherwise from now on, or its card was wrong and is put right for all that
    was run; without it, what is changed tells.
    """

    run_otherwise: bool | None = None


class LengthIn(In):
    """A length for the card of a scene that has none, in s."""

    scene_id: int
    length_s: Seconds


class LengthsIn(In):
    """Lengths for several cards at once."""

    lengths: list[LengthIn] = Field(min_length=1, max_length=2000)


class LengthsGiven(Out):
    """How many cards have a length now that had none."""

    given: int


class SceneOut(Out):
    """A scene; `used` once a pass of it was run. `version` counts from 1."""

    id: int
    game_id: int
    game: str
    name: str
    version: int
    kind: str
    length_s: int | None
    start: str
    route: str
    end: str
    warm_up_runs: int
    warm_up: str
    leans_on: list[str]
    engine_cap_fps: float | None
    used: bool
    seen: str


class ConditionIn(In):
    """A named condition."""

    name: Name
    resolution: Annotated[str, StringConstraints(strip_whitespace=True, max_length=40), ONE_LINE] = ""
    preset: Word = ""
    upscaling: Word = ""
    ray_tracing: Word = ""
    api: Word = ""
    frame_limit_fps: Fps | None = None
    intent: Literal["typical", "expose"] = "typical"


class ConditionEdit(ConditionIn, Edit):
    """A condition in place of what it was."""


class ConditionOut(ConditionIn):
    """A condition; `used` once a study runs under it."""

    id: int
    used: bool
    seen: str


class SceneKindOut(Out):
    """A kind of scene with its name on screen."""

    kind: str
    label: str
