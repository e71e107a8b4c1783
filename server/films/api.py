"""Film strips to lay over footage."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from ninja import Router, Status
from people.access import user_of

from films import queries, services
from films.schemas import FilmIn, FilmOut

router = Router(tags=["films"])


@router.get("/studies/{int:study_id}/tests/{int:test_id}/films", response=list[FilmOut])
def films(request: HttpRequest, study_id: int, test_id: int) -> list[FilmOut]:
    """The film strips of a test, newest first."""
    return queries.films_of(study_id, test_id)


@router.post("/studies/{int:study_id}/films", response={201: FilmOut})
def ask(request: HttpRequest, study_id: int, payload: FilmIn) -> Status[FilmOut]:
    """Have a film strip made of one or two passes; the worker makes it."""
    return Status(201, queries.film_out(services.ask(user_of(request), study_id, payload)))


@router.get("/films/{int:film_id}/file")
def file(request: HttpRequest, film_id: int) -> HttpResponse:
    """The film strip: WebM with a clear ground."""
    content, name = queries.film_file(film_id)
    answer = HttpResponse(content, content_type="video/webm")
    answer.headers["Content-Disposition"] = f'attachment; filename="{name}"'
    # It is packed already.
    answer.headers["Content-Encoding"] = "identity"
    return answer


@router.delete("/films/{int:film_id}", response={204: None})
def throw_away(request: HttpRequest, film_id: int) -> Status[None]:
    """Throw a film strip away."""
    services.throw_away(user_of(request), film_id)
    return Status(204, None)
