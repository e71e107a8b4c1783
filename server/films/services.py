"""What a tester does about film strips: ask for one, throw one away."""

from __future__ import annotations

import math

from django.contrib.auth.models import AnonymousUser, User
from django.db import transaction
from intake.excerpts import PrintedTrace, printed, said_of, stretch_of
from people.access import require
from people.models import Role
from problems import Conflict, NotFound, Problem
from storing import let_go
from studies.models import Study

from films.models import Film, FilmState
from films.schemas import FilmIn
from films.tasks import queue_film

Caller = User | AnonymousUser
#: Longer ones would keep the worker from everything else, s.
LONGEST_S = 180
#: So many of one person's wait or are made, and so many are kept of a test.
MOST_WAITING, MOST_KEPT = 3, 20


def ask(user: Caller, study_id: int, data: FilmIn) -> Film:
    """Have a film strip made. Raises :class:`NotFound`, :class:`Problem`."""
    tester = require(user, Role.TESTER)
    study = Study.objects.filter(pk=study_id).first()
    if study is None:
        raise NotFound("study")
    passes = tuple((one.pass_id, one.offset_s) for one in data.passes)
    if len({pk for pk, _ in passes}) < len(passes):
        raise Problem("twice", "A pass is there twice.", field="passes", hint="Choose another for the second lane.")
    found = printed(study, PrintedTrace(data.test_id, passes, data.from_s, data.to_s))
    start, stop = stretch_of(found[0])
    if stop - start > LONGEST_S:
        raise Problem(
            "too_long", f"A film strip is of at most {LONGEST_S} s; this is {stop - start:.0f} s.", field="to_s",
            hint="Choose a stretch: look closer at the trace first.",
        )  # fmt: skip
    with transaction.atomic():
        User.objects.select_for_update().get(pk=tester.pk)
        if _unfinished(tester) >= MOST_WAITING:
            raise Conflict(
                "too_many_wait", f"{MOST_WAITING} film strips of yours are not made yet.", hint="Wait for one of them."
            )
        if Film.all_films.filter(test=data.test_id).count() >= MOST_KEPT:
            raise Conflict("too_many", f"{MOST_KEPT} film strips of this test are kept.", hint="Throw one away first.")
        film = Film.objects.create(
            study=study, test_id=data.test_id, rate=data.rate, letters=data.letters, by=tester,
            asked=data.model_dump(include={"passes", "from_s", "to_s"}),
            said=f"{'; '.join(said_of(one) for one in found)}, {start:.1f} to {stop:.1f} s"[:400],
            pictures=max(1, math.floor((stop - start) * data.rate)),
        )  # fmt: skip
        queue_film(film.pk)
    return film


def throw_away(user: Caller, film_id: int) -> None:
    """Throw a film strip away, whether it is made or not. Raises :class:`NotFound`."""
    require(user, Role.TESTER)
    with transaction.atomic():
        film = Film.objects.select_for_update(of=("self",)).filter(pk=film_id).first()
        if film is None:
            raise NotFound("film strip")
        let_go([film.stored])
        film.delete()


def _unfinished(tester: User) -> int:
    return Film.all_films.filter(by=tester, state__in=[FilmState.WAITING, FilmState.RUNNING]).count()
