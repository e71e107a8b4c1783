"""What samples beside a pass tell of its power: where its run lies in them, and what it drew."""

from __future__ import annotations

from problems import NotFound
from rennbahn.capture import Samples
from rennbahn.capture.load import drawn_by, load_in, load_words
from rennbahn.capture.pack import unpack
from rennbahn.plain import plain

from intake.measuring import at_rest
from intake.models import Capture, PassFile, SampleSet
from intake.schemas import DrawnOut, LoadOut


def load_of(file_id: int) -> LoadOut:
    """Where the samples of a file show their run, and what the pass drew by them. Raises :class:`NotFound`."""
    kept = SampleSet.objects.filter(file=file_id).prefetch_related("channels").first()
    if kept is None:
        if not PassFile.objects.filter(pk=file_id).exists():
            raise NotFound("file")
        return LoadOut(offset_s=0.0, found_s=None, words="This file holds no samples.", drawn=[])
    capture = at_rest(Capture.objects.get(pk=kept.capture_id)).whole()
    samples = Samples(unpack(bytes(kept.clock)), {one.name: unpack(bytes(one.data)) for one in kept.channels.all()})
    load = load_in(samples, capture.duration_s)
    idle = {load.channel: load.idle} if load is not None else {}
    drawn = drawn_by(capture, samples.shifted(kept.offset_s), idle)
    return LoadOut(
        offset_s=kept.offset_s, found_s=load.offset_s if load is not None else None,
        words=load_words(load), drawn=[DrawnOut(**plain(one)) for one in drawn],
    )  # fmt: skip
