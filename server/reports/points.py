"""The list before a report goes out, made by the record: what is open, and what was accepted with which reason."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

import clock
from bench.models import Part
from doubting.queries import doubted_passes
from findings.queries import findings_of
from rennbahn.comparing.sentences import tests_words

from reports import prose
from reports.material import Studies
from reports.models import Block, BlockKind

#: Older prices are asked about.
_OLD_PRICE = timedelta(days=30)


@dataclass(frozen=True)
class Point:
    """Something that is not in order. `blocks` where no reason makes it good; `way` leads to it."""

    words: str
    way: str = ""
    blocks: bool = False


def points_of(blocks: Sequence[Block], studies: Studies, changed: int) -> list[Point]:
    """Everything that is not in order; `changed` is how many numbers and blocks say what is no longer so."""
    found: list[Point] = []
    if not blocks:
        found.append(Point("The report is empty.", blocks=True))
    if changed:
        told = "1 number or block says" if changed == 1 else f"{changed} numbers and blocks say"
        found.append(Point(f"{told} what is no longer so: take over what changed.", blocks=True))
    used = list(dict.fromkeys(block.study_id for block in blocks if block.study_id is not None))
    for block in blocks:
        if block.kind == BlockKind.PROSE:
            doc = block.content["doc"]
            found += [
                Point(f"“{one.text}” in the prose is tied to nothing that was measured.")
                for one, _ in studies.bare(doc, ())
            ]
            used += [said.study for said in prose.numbers_in(doc) if said.study not in used]
    if blocks and not any(block.kind == BlockKind.METHOD for block in blocks):
        found.append(Point("How it was measured is not told."))
    for study in dict.fromkeys(used):
        found += _of_study(study)
    return list({point.words: point for point in found}.values())


def _of_study(study: int) -> list[Point]:
    """What is not in order in a study."""
    found, told = findings_of(study), []
    name, way = f"“{found['question']}”", f"/studies/{study}"
    doubted = len(doubted_passes(study))
    if doubted:
        passes = "1 pass is" if doubted == 1 else f"{doubted} passes are"
        told.append(Point(f"{name}: {passes} doubted and nobody settled it.", f"{way}/passes"))
    if found["missing"]:
        cells = len({(one["test_id"], one["lane_id"]) for one in found["missing"]})
        tests = tests_words(len({one["test_id"] for one in found["missing"]}))
        many = "1 cell has" if cells == 1 else f"{cells} cells in {tests} have"
        told.append(Point(f"{name}: {many} fewer accepted passes than planned.", f"{way}/findings?door=out"))
    for figure, words in (("average", "average fps"), ("low_1", "1% low")):
        if found[figure]["depends_on_method"]:
            told.append(Point(f"{name}: the verdict on {words} depends on the method.", f"{way}/findings?door=method"))
    told += [Point(f"{name}: {_caveat(one)}", f"{way}/plan") for one in found["caveats"] if not one["accepted"]]
    if found["stale"]:
        told.append(Point(f"{name}: figures are being made anew.", f"{way}/passes", blocks=True))
    old = clock.now().date() - _OLD_PRICE
    priced = Part.objects.filter(setuppart__version__lanes__study=study, price__isnull=False, price_day__lt=old)
    days = list(priced.distinct().values_list("price_day", "name").order_by("price_day"))
    if days:
        day, part = days[0]
        old_ones = f"the prices of {len(days)} parts are old, the oldest of"
        which = f"the price of {part} is of" if len(days) == 1 else old_ones
        told.append(Point(f"{name}: {which} {day:%-d %B %Y}.", "/bench"))
    return told


def _caveat(caveat: dict[str, Any]) -> str:
    return f"{caveat['label']} ({caveat['about']}): {caveat['reason']}"
