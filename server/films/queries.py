"""What one can ask about film strips."""

from __future__ import annotations

from problems import NotFound
from studies.models import Study

from films.models import Film, FilmState
from films.schemas import FilmOut


def films_of(study_id: int, test_id: int) -> list[FilmOut]:
    """The film strips of a test, newest first. Raises :class:`NotFound`."""
    if not Study.objects.filter(pk=study_id, tests=test_id).exists():
        raise NotFound("test in this study")
    found = Film.objects.filter(study=study_id, test=test_id).select_related("by").defer("content")
    return [film_out(one) for one in found]


def film_file(film_id: int) -> tuple[bytes, str]:
    """The file of a film strip that is ready, with its name. Raises :class:`NotFound`."""
    film = Film.objects.filter(pk=film_id, state=FilmState.READY).first()
    if film is None:
        raise NotFound("film strip")
    return film.held(), f"strip-{film.pk}-{film.rate}.webm"


def film_out(one: Film) -> FilmOut:
    """A film strip as it is told."""
    return FilmOut(
        id=one.pk, test_id=one.test_id, said=one.said, rate=one.rate, letters=one.letters, state=one.state,
        done=one.done, pictures=one.pictures, words=one.words, size=one.size, at=one.at, by=one.by.get_username(),
    )  # fmt: skip
