"""Games, scenes and conditions as the API speaks of them."""

from __future__ import annotations

from typing import Annotated

from ninja import Schema
from pydantic import Field, StringConstraints

Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]
Text = Annotated[str, StringConstraints(strip_whitespace=True, max_length=4000)]
Fps = Annotated[float, Field(gt=0, le=10_000)]


class SceneIn(Schema):
    """A scene of a game; the game is made if it is not there yet."""

    game: Name
    name: Name
    kind: str = "route"
    length_s: int = Field(default=60, gt=0, le=7200)
    start: Text = ""
    route: Text = ""
    end: Text = ""
    engine_cap_fps: Fps | None = None


class SceneOut(Schema):
    """A scene; `used` once a study tests it."""

    id: int
    game_id: int
    game: str
    name: str
    kind: str
    length_s: int
    start: str
    route: str
    end: str
    engine_cap_fps: float | None
    used: bool


class ConditionIn(Schema):
    """A named condition."""

    name: Name
    resolution: Text = ""
    preset: Text = ""
    frame_limit_fps: Fps | None = None


class ConditionOut(ConditionIn):
    """A condition."""

    id: int


class SceneKindOut(Schema):
    """A kind of scene with its name on screen."""

    kind: str
    label: str
