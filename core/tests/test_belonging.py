"""A file goes to the run whose time it covers; what no run explains, or two do, goes to a person."""

from __future__ import annotations

import random

import pytest
from rennbahn.running import FileSpan, RunSpan, belonging

#: Eight seconds each, with the time between them that a countdown and a verdict take.
WARM_UP, FIRST = RunSpan(1, 0.0, 8.0), RunSpan(2, 14.0, 22.0)


@pytest.mark.parametrize(
    ("file", "run"),
    [
        (FileSpan(8.0, 8.0), 1),
        (FileSpan(22.0, 8.0), 2),
        # Flushed late, in the middle of what ran next; stopped early; a logger that ran before and after.
        (FileSpan(14.5, 8.0), 1),
        (FileSpan(20.5, 7.0), 2),
        (FileSpan(24.0, 12.0), 2),
    ],
)
def test_a_file_belongs_to_the_run_it_covers(file: FileSpan, run: int) -> None:
    assert belonging(file, [WARM_UP, FIRST]).run == run


def test_a_file_is_never_the_run_that_began_when_it_was_written() -> None:
    # A warm-up's file that is flushed while the counted pass is three seconds old.
    under_way = RunSpan(2, 14.0)
    found = belonging(FileSpan(16.8, 8.0), [WARM_UP, under_way])
    assert found.run in (1, None)
    assert found.run != 2


def test_a_run_that_was_broken_off_keeps_its_own_file() -> None:
    broken, again = RunSpan(1, 0.0, 7.0), RunSpan(2, 16.0, 24.0)
    assert belonging(FileSpan(7.2, 7.1), [broken, again]).run == 1
    assert belonging(FileSpan(24.1, 8.0), [broken, again]).run == 2
    # It comes after the repeat has its own: it takes nobody's place.
    late = belonging(FileSpan(7.2, 7.1), [broken, RunSpan(2, 16.0, 24.0, has_file=True)])
    assert late.run == 1


def test_what_two_runs_explain_or_none_is_asked() -> None:
    both = belonging(FileSpan(22.0, 22.0), [WARM_UP, FIRST])
    assert (both.run, both.why) == (None, "two_runs")
    assert both.proposed in (1, 2)
    assert belonging(FileSpan(-300.0, 8.0), [WARM_UP, FIRST]).why == "no_run"
    little = belonging(FileSpan(4.0, 60.0), [RunSpan(1, 0.0, 60.0)])
    assert (little.run, little.proposed, little.why) == (None, 1, "too_little")
    assert belonging(FileSpan(8.1, 8.0), [RunSpan(1, 0.0, 8.0, has_file=True)]).why == "has_one"
    assert belonging(FileSpan(8.0, 8.0), []).why == "no_run"


@pytest.mark.parametrize("length_s", [8.0, 30.0, 60.0])
def test_shuffled_by_hands_disks_and_clocks_no_file_finds_another_run(length_s: float) -> None:
    """400 sittings of six runs: written up to 6 s late, noted up to 1.5 s off, cut, with lead-in and run-out."""
    chance = random.Random(7)
    asked = files = 0
    for _ in range(400):
        runs, written = [], []
        at = 0.0
        for number in range(6):
            at += chance.uniform(5.0, 40.0)
            broken = chance.random() < 0.15
            ended = at + (length_s * chance.uniform(0.3, 0.95) if broken else length_s)
            runs.append(RunSpan(number, at, ended))
            begun = at + chance.uniform(-1.5, 1.0)
            stopped = ended + chance.uniform(-0.5, 1.5)
            flushed = chance.choice([0.0, 0.1, chance.uniform(0.0, 6.0)])
            off = chance.uniform(-0.3, 0.3)
            written.append((number, FileSpan(stopped + flushed + off, stopped - begun)))
            at = ended
        for number, file in written:
            # What has begun by the time at which the file is written is all that is known.
            known = [
                run if run.ended_s is not None and run.ended_s <= file.ended_s else RunSpan(run.id, run.began_s)
                for run in runs
                if run.began_s <= file.ended_s
            ]
            found = belonging(file, known)
            assert found.run in (number, None), (number, file, known, found)
            asked += found.run is None
            files += 1
    assert asked <= 0.02 * files
