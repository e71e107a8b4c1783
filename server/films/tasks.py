"""What the worker does for film strips: it makes them one after the other, after all else that waits."""

from __future__ import annotations

from datetime import timedelta

from django.db import transaction
from django.utils import timezone
from intake.tasks import QUEUE
from procrastinate.contrib.django import app
from storing import let_go

from films.making import make
from films.models import Film, FilmState

#: A film strip is kept so long; it can be made again.
KEPT = timedelta(days=7)
#: What is not made after so long never will be.
GIVEN_UP = timedelta(hours=12)


@app.task(queue=QUEUE, priority=-10)
def make_film(film_id: int) -> None:
    """Make a film strip."""
    make(film_id)


def queue_film(film_id: int) -> None:
    """Have a film strip made, once, when the transaction is through."""
    waiting = f"film-{film_id}"
    make_film.configure(lock=waiting, queueing_lock=waiting).defer(film_id=film_id)


@app.periodic(cron="41 * * * *")
@app.task(queue="upkeep", queueing_lock="films")
def sweep_films(timestamp: int) -> int:  # noqa: ARG001
    """Say of what was never made that it was not, and let go what is old; how many."""
    now = timezone.now()
    left = Film.all_films.filter(state__in=[FilmState.WAITING, FilmState.RUNNING], at__lt=now - GIVEN_UP)
    left.update(state=FilmState.FAILED, words="The worker did not come to its end. Ask for it again.")
    with transaction.atomic():
        old = list(Film.all_films.filter(at__lt=now - KEPT).only("pk", "stored"))
        let_go([one.stored for one in old])
        Film.all_films.filter(pk__in=[one.pk for one in old]).delete()
    return len(old)
