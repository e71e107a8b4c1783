"""What one can do with scenes."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.contrib.auth.models import AnonymousUser, User
from django.db import IntegrityError, transaction
from django.db.models import Q
from page_marks import check_seen, mark_of
from people.access import require
from people.edits import last_edit, note_edit
from people.models import Role
from problems import Conflict, NotFound, Problem

from scenes.models import Condition, Game, Scene, SceneKind
from scenes.news import scenes_put_right
from scenes.schemas import ConditionEdit, ConditionIn, GameEdit, GameIn, SceneEdit, SceneIn

Caller = User | AnonymousUser


#: Scenes of which a pass was run: what they say is what was run.
RUN = Q(tests__passes__state__in=("recorded", "accepted", "rejected"))


def add_game(user: Caller, data: GameIn) -> Game:
    """Add a game. Raises :class:`Conflict` where there is one of that name."""
    lead = require(user, Role.LEAD)
    return _kept_game(lead, Game(), data)


def edit_game(user: Caller, game_id: int, data: GameIn) -> Game:
    """Write down what has become known of a game."""
    lead = require(user, Role.LEAD)
    with transaction.atomic():
        game = Game.objects.select_for_update().filter(pk=game_id).first()
        if game is None:
            raise NotFound("game")
        if isinstance(data, GameEdit):
            check_seen(f"“{game.name}”", data.seen, game_mark(game), lambda: last_edit("game", game_id))
        return _kept_game(lead, game, data)


def add_scene(user: Caller, data: SceneIn) -> Scene:
    """Add a scene, and its game where that is new. Raises :class:`Conflict` where the game has such a scene."""
    lead = require(user, Role.LEAD)
    _known_kind(data.kind)
    with transaction.atomic():
        game = game_named(data.game)
        if newest_scene(game.name, data.name) is not None:
            raise _scene_exists(game, data.name)
        return _written(lead, Scene(game=game), data)


def edit_scene(user: Caller, scene_id: int, data: SceneIn) -> Scene:
    """Edit a scene in place while no pass of it was run, or where its card is put right; else as its next version.

    Tests of open studies that have no pass yet go on to the next version.
    """
    lead = require(user, Role.LEAD)
    _known_kind(data.kind)
    with transaction.atomic():
        scene = Scene.objects.select_for_update(of=("self",)).select_related("game").filter(pk=scene_id).first()
        if scene is None:
            raise NotFound("scene")
        if isinstance(data, SceneEdit):
            check_seen(f"“{scene.name}”", data.seen, scene_mark(scene), lambda: last_edit("scene", scene_id))
        newest = newest_scene(scene.game.name, scene.name)
        if newest is not None and newest.pk != scene.pk:
            raise Conflict(
                "scene_superseded",
                f"“{scene.name}” has a newer version.",
                hint="Change the newest one: load the page again.",
            )
        if not Scene.objects.filter(RUN, pk=scene_id).exists():
            other = newest_scene(data.game, data.name)
            if other is not None and other.pk != scene.pk:
                raise _scene_exists(scene.game, data.name)
            scene.game = game_named(data.game)
            return _written(lead, scene, data)
        said = {name: getattr(scene, name) for name in SceneIn.model_fields}
        if (data.game.lower(), data.name.lower()) != (scene.game.name.lower(), scene.name.lower()):
            raise Conflict(
                "scene_in_use",
                f"Passes of “{scene.name}” were run: it keeps its name and its game.",
                field="name",
                hint="Add a scene under the other name.",
            )
        changed = [name for name in SceneIn.model_fields if name != "game" and getattr(data, name) != said[name]]
        if not _runs_otherwise(data, [name for name in changed if said[name] not in _BLANK]):
            return _put_right(lead, scene, data, changed)
        following = _written(lead, Scene(game=scene.game, version=scene.version + 1), data)
        unrun = scene.tests.filter(study__state="open").exclude(
            passes__state__in=("recorded", "accepted", "rejected", "did_not_run")
        )
        unrun.model.objects.filter(pk__in=list(unrun.values_list("pk", flat=True))).update(scene=following)
        return following


#: What a card says of what is done; the rest are words for it.
_HOW_RUN = ("length_s", "start", "route", "end", "warm_up_runs", "warm_up")
_BLANK: tuple[object, ...] = (None, "", [])


def _runs_otherwise(data: SceneIn, changed: list[str]) -> bool:
    """Whether a scene is run otherwise from now on, by what its card said before and says otherwise now.

    Who edits it may say so; else it is where what is done is another. A blank that is filled in is a word for what was
    run.
    """
    if isinstance(data, SceneEdit) and data.run_otherwise is not None:
        return data.run_otherwise
    return any(name in _HOW_RUN for name in changed)


def _put_right(lead: User, scene: Scene, data: SceneIn, changed: list[str]) -> Scene:
    """Put the card right of a scene that was run: the studies that ran it follow."""
    kept = _written(lead, scene, data)
    if changed:
        said = ", ".join(f"{_FIELD_WORDS[name]} {_value_words(getattr(kept, name))}" for name in changed)
        scenes_put_right.send(Scene, scenes={kept.pk}, who=lead, words=f"{kept}: {said}")
    return kept


_FIELD_WORDS = {
    "name": "name", "kind": "kind", "length_s": "length in s", "start": "start", "route": "route", "end": "end",
    "warm_up_runs": "runs not counted", "warm_up": "warm-up rule", "leans_on": "held back by",
}  # fmt: skip


def _value_words(value: object) -> str:
    if isinstance(value, list):
        return ", ".join(value) or "not said"
    return "not said" if value in _BLANK else f"“{value}”" if isinstance(value, str) else str(value)


def give_lengths(user: Caller, lengths: Mapping[int, int]) -> int:
    """Write lengths, in s, on the cards of scenes that have none; how many. All of them or none.

    Raises :class:`Conflict` where a card has a length by now.
    """
    lead = require(user, Role.LEAD)
    with transaction.atomic():
        locked = Scene.objects.select_for_update(of=("self",)).select_related("game").order_by("pk")
        scenes = list(locked.filter(pk__in=lengths))
        if len(scenes) < len(lengths):
            raise NotFound("scene")
        for scene in scenes:
            if scene.length_s is not None:
                raise Conflict(
                    "length_given", f"The card of “{scene}” says {scene.length_s} s by now.", field="lengths",
                    hint="Load the page again: what is still without a length is offered anew.",
                )  # fmt: skip
            scene.length_s = lengths[scene.pk]
            note_edit(lead, "scene", scene.pk)
        Scene.objects.bulk_update(scenes, ["length_s"])
        was_run = set(Scene.objects.filter(RUN, pk__in=lengths).values_list("pk", flat=True))
        for scene in scenes:
            if scene.pk in was_run:
                words = f"{scene}: length in s {scene.length_s}"
                scenes_put_right.send(Scene, scenes={scene.pk}, who=lead, words=words)
    return len(scenes)


def add_condition(user: Caller, data: ConditionIn) -> Condition:
    """Add a condition. Raises :class:`Conflict` where there is one of that name."""
    lead = require(user, Role.LEAD)
    return _kept_condition(lead, Condition(), data)


def edit_condition(user: Caller, condition_id: int, data: ConditionIn) -> Condition:
    """Edit a condition. What a study that has passes told its games stays; what is blank may be filled in."""
    lead = require(user, Role.LEAD)
    with transaction.atomic():
        condition = Condition.objects.select_for_update().filter(pk=condition_id).first()
        if condition is None:
            raise NotFound("condition")
        if isinstance(data, ConditionEdit):
            now = condition_mark(condition)
            check_seen(f"“{condition.name}”", data.seen, now, lambda: last_edit("condition", condition_id))
        if is_run(condition):
            said = condition_fields(condition)
            lost = [n for n, value in said.items() if value not in ("", None) and getattr(data, n) != value]
            if lost:
                raise Conflict(
                    "condition_in_use",
                    f"Passes were run under “{condition.name}”: what it told the game stays.",
                    field=lost[0],
                    hint="Add a condition under another name for the changed settings.",
                )
        return _kept_condition(lead, condition, data)


def is_run(condition: Condition) -> bool:
    """Was a pass recorded under this condition?"""
    run = Q(passes__state__in=("recorded", "accepted", "rejected"))
    return condition.tests.filter(run).exists() or condition.lanes.filter(run).exists()


def condition_fields(condition: Condition) -> dict[str, Any]:
    """What a condition says, by field."""
    return {name: getattr(condition, name) for name in ConditionIn.model_fields}


def game_named(name: str) -> Game:
    """The game of that name, made if it is not there yet."""
    return Game.objects.filter(name__iexact=name).first() or Game.objects.create(name=name)


def scene_named(game: str, name: str) -> Scene:
    """The newest version of the scene of that game and name, made if it is not there yet."""
    return newest_scene(game, name) or Scene.objects.create(game=game_named(game), name=name)


def condition_named(name: str) -> Condition:
    """The condition of that name, made if it is not there yet."""
    return Condition.objects.filter(name__iexact=name).first() or Condition.objects.create(name=name)


def game_mark(game: Game) -> str:
    """A mark of what is known of a game."""
    return mark_of([getattr(game, field) for field in GameIn.model_fields])


def scene_mark(scene: Scene) -> str:
    """A mark of what a scene says."""
    own = [getattr(scene, field) for field in SceneIn.model_fields if field != "game"]
    return mark_of([scene.game_id, scene.version, own])


def condition_mark(condition: Condition) -> str:
    """A mark of what a condition says."""
    return mark_of(condition_fields(condition))


def newest_scene(game: str, name: str) -> Scene | None:
    """The newest version of the scene of that game and name."""
    return Scene.objects.filter(game__name__iexact=game, name__iexact=name).order_by("-version").first()


def _scene_exists(game: Game, name: str) -> Conflict:
    return Conflict("scene_exists", f"{game} already has a scene “{name}”.", field="name")


def _written(lead: User, scene: Scene, data: SceneIn) -> Scene:
    for field in SceneIn.model_fields:
        if field != "game":
            setattr(scene, field, getattr(data, field))
    try:
        with transaction.atomic():
            scene.save()
    except IntegrityError:
        raise _scene_exists(scene.game, data.name) from None
    note_edit(lead, "scene", scene.pk)
    return scene


def _kept_game(lead: User, game: Game, data: GameIn) -> Game:
    for field in GameIn.model_fields:
        setattr(game, field, getattr(data, field))
    try:
        with transaction.atomic():
            game.save()
    except IntegrityError:
        raise Conflict("game_exists", f"There is already a game “{data.name}”.", field="name") from None
    note_edit(lead, "game", game.pk)
    return game


def _kept_condition(lead: User, condition: Condition, data: ConditionIn) -> Condition:
    for field in ConditionIn.model_fields:
        setattr(condition, field, getattr(data, field))
    try:
        with transaction.atomic():
            condition.save()
    except IntegrityError:
        raise Conflict("condition_exists", f"There is already a condition “{data.name}”.", field="name") from None
    note_edit(lead, "condition", condition.pk)
    return condition


def _known_kind(kind: str) -> None:
    if kind not in SceneKind.values:
        raise Problem("unknown_kind", f"{kind!r} is no kind of scene: {', '.join(SceneKind.values)}.", field="kind")
