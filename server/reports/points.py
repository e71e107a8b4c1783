"""The list before a report goes out, made by the record: what is open, and what was accepted with which reason."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

import clock
from bench.models import Part
from doubting.queries import doubted_passes
from rennbahn.comparing.sentences import tests_words

from reports.material import Look, Studies, used_studies
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
    for block in blocks:
        if block.kind == BlockKind.PROSE:
            found += [
                Point(f"“{one.text}” in the prose is tied to nothing that was measured.")
                for one, _ in studies.bare(block.content["doc"], ())
            ]
        else:
            found += _of_block(block, studies)
    if blocks and not any(block.kind == BlockKind.METHOD for block in blocks):
        found.append(Point("How it was measured is not told."))
    for study in used_studies(blocks):
        found += _of_study(study, studies)
    return list({point.words: point for point in found}.values())


def _of_block(block: Block, studies: Studies) -> list[Point]:
    """What is not in order in what a block shows."""
    now = studies.says(block)
    if now["fault"]:
        way = "" if block.study_id is None else f"/studies/{block.study_id}"
        return [Point(f"{now['label']} shows nothing: {now['fault']}", way, blocks=True)]
    house = Look.of(block.content).house
    if house is not None:
        log = studies.house(house).log
        simulated = log is not None and log["simulated"]
        words = f"{now['label']}: its figures are of the simulated bench."
        return [Point(words, studies.house(house).way)] if simulated else []
    way = f"/studies/{block.study_id}/findings?door=method"
    told = [Point(f"{now['label']}: the verdict on {words} depends on the method.", way) for words in now["by_method"]]
    readers = f"/studies/{block.study_id}/findings?door=readers"
    passes = f"/studies/{block.study_id}/passes"
    told += [Point(f"{now['label']}: {one} does not count.", passes) for one in now["uncounted"]]
    if now["unworded"] and not block.content.get("caption"):
        told.append(
            Point(f"{now['label']}: its pictures have no words beside them.", f"/studies/{block.study_id}/findings")
        )
    return told + [Point(f"{now['label']}: {words}.", readers) for words in now["below_floor"]]


def _of_study(study: int, studies: Studies) -> list[Point]:
    """What is not in order in a study, whatever is shown of it."""
    told: list[Point] = []
    record = studies.record(study)
    name, way = f"“{record.study.question}”", f"/studies/{study}"
    doubted = len(doubted_passes(study))
    if doubted:
        passes = "1 pass is" if doubted == 1 else f"{doubted} passes are"
        told.append(Point(f"{name}: {passes} doubted and nobody settled it.", f"{way}/passes"))
    told += [Point(f"{name}: {words}", f"{way}/plan") for words in studies.failed(study)]
    groups = studies.every_group(study)
    missing = [one for group in groups for one in group["missing"]]
    if missing:
        tests = tests_words(len({one["test_id"] for one in missing}))
        many = "1 cell has" if len(missing) == 1 else f"{len(missing)} cells in {tests} have"
        told.append(Point(f"{name}: {many} fewer accepted passes than planned.", f"{way}/findings?door=out"))
    found = groups[0]
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
