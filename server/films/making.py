"""Making a film strip: what it shows is read, its pictures are painted and encoded, and how far it is is kept."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from intake.excerpts import PrintedPass, PrintedTrace, printed, said_of, stretch_of
from intake.measuring import settings_for
from problems import Problem
from rennbahn.measures import Settings
from rennbahn.measures.layers import layers_of
from storing import place
from studies.models import Study

from films.encoding import encode
from films.models import Film, FilmState
from films.painting import Painter, Picture, StripLane

#: How often it is told how far a film is, s.
_TELLS_S = 1.0


class _GoneError(Exception):
    """The film was thrown away meanwhile."""


def make(film_id: int) -> None:
    """Make a film strip, and say what became of it. One that is not there any more, or made, is left alone."""
    film = Film.all_films.defer("content").filter(pk=film_id).first()
    if film is None or film.state not in (FilmState.WAITING, FilmState.RUNNING):
        return
    own = Film.all_films.filter(pk=film_id, state__in=[FilmState.WAITING, FilmState.RUNNING])
    own.update(state=FilmState.RUNNING, done=0)
    try:
        painter = _painter(film)
        with tempfile.TemporaryDirectory(prefix="rennbahn-film-") as folder:
            path = Path(folder) / "strip.webm"
            encode(path, painter.size, film.rate, _told(film, painter.pictures(film.pictures, film.rate)))
            content = path.read_bytes()
    except _GoneError:
        return
    except Problem as problem:
        own.update(state=FilmState.FAILED, words=f"{problem.message} {problem.hint}".strip()[:600])
        return
    except Exception:
        # Nobody shall wait for what will not come; the job tells what it was.
        own.update(state=FilmState.FAILED, words="The worker could not make it. Ask for it again.")
        raise
    placed = place(content)
    # One that was thrown away just now names no file: what was put down for it is swept.
    own.update(state=FilmState.READY, done=film.pictures, size=len(content), **placed.fields())


def _told(film: Film, pictures: Iterator[Picture]) -> Iterator[Picture]:
    """The pictures, with how far they are. Raises :class:`_GoneError`."""
    told = time.monotonic()
    for number, picture in enumerate(pictures):
        if time.monotonic() - told >= _TELLS_S:
            told = time.monotonic()
            if not Film.all_films.filter(pk=film.pk, state=FilmState.RUNNING).update(done=number):
                raise _GoneError
        yield picture


def _painter(film: Film) -> Painter:
    study = Study.objects.get(pk=film.study_id)
    passes = tuple((one["pass_id"], one["offset_s"]) for one in film.asked["passes"])
    found = printed(study, PrintedTrace(film.test_id, passes, film.asked["from_s"], film.asked["to_s"]))
    start, _ = stretch_of(found[0])
    return Painter([_lane(study, one) for one in found], start, 1000.0 / study.target_hz, film.letters)


def _lane(study: Study, one: PrintedPass) -> StripLane:
    windows = one.capture.windows
    settings = Settings.from_json(settings_for(study, one.capture.on_pass))
    layers = layers_of(one.whole, windows, settings, study.low_school)
    return StripLane(
        whole=one.whole, windows=[(start, stop) for start, stop in windows], offset_s=one.offset_s, said=said_of(one),
        position=one.capture.on_pass.lane.position, stutters_s=[span.from_s for span in layers.stutters],
    )  # fmt: skip
