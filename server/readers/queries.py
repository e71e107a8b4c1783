"""What one can ask about readers."""

from __future__ import annotations

from problems import NotFound
from rennbahn.kinds.reader_words import reader_words
from rennbahn.kinds.readers import Reader as CoreReader

from readers.models import Reader
from readers.schemas import ReaderOut
from readers.services import reader_mark


def all_readers() -> list[ReaderOut]:
    """Everybody, by name."""
    return [reader_out(one) for one in Reader.objects.all()]


def one_reader(reader_id: int) -> Reader:
    """One of them. Raises :class:`NotFound`."""
    found = Reader.objects.filter(pk=reader_id).first()
    if found is None:
        raise NotFound("reader")
    return found


def told(reader: Reader) -> CoreReader:
    """A reader as the core knows them."""
    kwh, budget = reader.price_per_kwh, reader.budget
    return CoreReader(
        reader.name, reader.display_hz, reader.variable, reader.floor_fps, reader.floor_on, reader.notices,
        reader.hours_a_day, reader.years, None if kwh is None else float(kwh),
        None if budget is None else float(budget), reader.currency,
    )  # fmt: skip


def reader_out(reader: Reader) -> ReaderOut:
    """A reader as the API gives them."""
    core = told(reader)
    own = {name: getattr(core, name) for name in ReaderOut.model_fields if hasattr(core, name)}
    return ReaderOut(
        **own, id=reader.pk, resolution=reader.resolution, words=reader_words(core), seen=reader_mark(reader)
    )
