"""What a study is to a reader, in sight and in money, as the core gives it."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from readers.queries import one_reader, told
from rennbahn.comparing.cells import Sheet
from rennbahn.comparing.composition import composition_of
from rennbahn.comparing.model import AVERAGE, low_figure
from rennbahn.comparing.sentences import Naming, Sentence, lacks_words
from rennbahn.kinds.answer import sentence_parts
from rennbahn.kinds.fit import group_tests
from rennbahn.kinds.reader_words import cheapest_words, lane_words, reader_sentence, test_words
from rennbahn.kinds.readers import ForReader, Reader, for_reader
from rennbahn.plain import plain
from studies.models import Lane

from findings.facts import owned_by, prices_of
from findings.queries import Answer, Asked, answer_for


def worth_of(study_id: int, reader_id: int, asked: Asked) -> dict[str, Any]:
    """One lane over another to a reader, and all lanes, as plain data of the form of `ForReaderOut`.

    Raises :class:`NotFound`.
    """
    laid, reader = answer_for(study_id, asked), told(one_reader(reader_id))
    return laid.record.answered(("reader", asked, reader), lambda: _worth(laid, reader))


def _worth(laid: Answer, reader: Reader) -> dict[str, Any]:
    sheet = laid.record.pooled
    money, currency = prices_of(laid.lanes)
    foreign = bool(money) and bool(reader.currency) and reader.currency != currency
    priced = bool(money) and not foreign
    # Whoever has said no money of their own is told prices in the currency that they are in.
    reader = reader if reader.currency else replace(reader, currency=currency)
    found = for_reader(sheet, reader, laid.pair, laid.group, priced=priced)
    names = Naming.of(sheet.study)
    data: dict[str, Any] = plain(found)
    for one, plainly in zip(found.tests, data["tests"], strict=True):
        plainly["words"] = test_words(one, found, names)
    for lane, plainly in zip(found.lanes, data["lanes"], strict=True):
        plainly["words"] = lane_words(lane, found, names)
    return data | {
        "sentence": sentence_parts(_sentence(found, names, sheet)),
        # A ladder's sentence says it already.
        "cheapest_words": "" if sheet.study.kind == "ladder" else cheapest_words(found, names),
        "money_words": _foreign_words(currency, reader.currency) if foreign else "",
        "prices": _prices(laid.lanes),
    }


def _sentence(found: ForReader, names: Naming, sheet: Sheet) -> Sentence:
    """What it is to the reader, with what is not in it."""
    of_all = sheet.study.kind == "ladder"
    lanes = range(len(sheet.study.lanes)) if of_all else [sheet.lane_at[found.a], sheet.lane_at[found.b]]
    figure = AVERAGE if found.figure == AVERAGE else low_figure("1", sheet.study.method.low_school)
    made = composition_of(sheet, figure, lanes, group_tests(sheet, found.group))
    return replace(reader_sentence(found, names, of_all=of_all), lacks=lacks_words(made, names))


def _foreign_words(currency: str, own: str) -> str:
    return (
        f"Prices are in {currency}, this reader’s money is {own}: they are not added up. "
        f"Give the parts prices in {own}, or the reader money in {currency}."
    )


def _prices(lanes: list[Lane]) -> list[dict[str, Any]]:
    """Where the price of each lane comes from: the parts in which lanes differ, with the day it was seen."""
    parts = {part.pk: part for lane in lanes for part in lane.setup_version.parts.all()}
    return [
        {
            "lane_id": lane, "part": part.name, "price": float(part.price), "currency": part.currency,
            "price_from": part.price_from, "price_day": part.price_day,
        }
        for lane, own in owned_by(lanes).items()
        for part in (parts[key] for key in dict.fromkeys(one.key for one in own))
        if part.price is not None
    ]  # fmt: skip
