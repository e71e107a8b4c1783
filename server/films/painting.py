"""The pictures of a film strip. What stands still, and the letters of what moves, the interface's components draw.

A trace is written from left to right as time passes and begins anew at the left when it comes to the end, so that most
of a picture is as it was: it can be read, and is encoded in little.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pdf import picture_of
from PIL import Image, ImageFilter
from rendering import render
from rennbahn import display
from rennbahn.capture import Capture
from rennbahn.capture.envelope import columns
from rennbahn.measures.readout import begun_by, counting_at, readout_of

Picture = NDArray[np.uint8]
Colour = tuple[int, int, int]

#: From the left of a trace to its right so much time passes, s.
SWEEP_S = 8.0
#: What is shown in numbers stands still for so long, or nobody could read it, s.
HOLDS_S = 0.5
#: Between what is written and what was written a sweep ago so much stays clear, px.
_GAP = 36
#: How much is seen of what was written a sweep ago, and of what does not count.
_PALE, _UNCOUNTED = 0.4, 0.5
#: Letters and lines carry an edge of so many px, by which they can be read over anything; it is seen by so much.
_EDGE, _EDGE_SEEN = 3, 0.8
#: A line is so thick, px.
_LINE = 3.0
#: The upper edge of a trace is at least so many budgets, and at most so many medians beyond that.
_LEAST_BUDGETS, _MOST_MEDIANS = 2.1, 4.0


@dataclass(frozen=True)
class StripLane:
    """A pass as it is shown. `offset_s` lays its clock on the common one; `stutters_s` begin on its own."""

    whole: Capture
    windows: list[tuple[float, float]]
    offset_s: float
    said: str
    position: int
    stutters_s: list[float]


@dataclass(frozen=True)
class _Numbers:
    """What is said of a lane in one picture."""

    rate: str
    longest: str
    stutters: str
    counts: bool


class Painter:
    """Paints lanes beneath each other from a moment of the common clock on, s."""

    def __init__(self, lanes: Sequence[StripLane], start_s: float, budget_ms: float, letters: str) -> None:
        """Raises :class:`rendering.CannotDraw`, :class:`waiting.Busy`."""
        self.lanes, self.start_s = lanes, start_s
        self.top_ms = top_of([one.whole for one in lanes], budget_ms)
        told: list[dict[str, Any]] = [{"said": one.said, "position": one.position} for one in lanes]
        drawn = render("film", {"lanes": told, "budget_ms": budget_ms, "top_ms": self.top_ms, "letters": letters})
        self._places = drawn["places"]
        self.size: tuple[int, int] = self._places["width"], self._places["height"]
        self._edge, self._colours = _rgb(drawn["edge"]), [_rgb(one) for one in drawn["lanes"]]
        self._sprites = picture_of(drawn["sprites"], self._places["sprites"]["width"], clear=True).convert("RGBA")
        self._ground = self._edged(picture_of(drawn["ground"], self.size[0], clear=True).convert("RGBA"))
        # A sweep is written once; the one before it stays in sight.
        self._sheet = lru_cache(maxsize=2 * len(lanes))(self._written)

    def pictures(self, count: int, rate: int) -> Iterator[Picture]:
        """So many pictures, `rate` a second, each (height, width, 4). One is painted over by the next."""
        clock = np.arange(count) / rate
        numbers = [self._numbers(lane, clock) for lane in self.lanes]
        x, wide = self._places["trace"]["x"], self._places["trace"]["width"]
        picture = self._clear(self._ground)
        said: list[_Numbers | None] = [None] * len(self.lanes)
        for i in range(count):
            sweep, within = divmod(clock[i], SWEEP_S)
            now = round(within / SWEEP_S * wide)
            for at in range(len(self.lanes)):
                y, tall = self._trace_of(at)
                trace = picture[y : y + tall, x : x + wide]
                trace[:, :now] = self._sheet(at, int(sweep))[0][:, :now]
                trace[:, now + _GAP :] = self._sheet(at, int(sweep) - 1)[1][:, now + _GAP :]
                clear = self._ground.crop((x + now, y, x + min(now + _GAP, wide), y + tall))
                trace[:, now : now + _GAP] = self._clear(clear)
                if numbers[at][i] != said[at]:
                    said[at] = numbers[at][i]
                    self._say(picture, at, numbers[at][i])
            yield picture

    def _numbers(self, lane: StripLane, clock: NDArray[np.float64]) -> list[_Numbers]:
        own = self.start_s - lane.offset_s
        held = own + np.floor(clock / HOLDS_S) * HOLDS_S
        read, counts = readout_of(lane.whole, lane.windows, held), counting_at(lane.whole, lane.windows, own + clock)
        # Those of before the film begins are not seen in it.
        begun = begun_by(lane.stutters_s, own, held)
        return [
            _Numbers(
                "–" if np.isnan(rate) or not counted else display.fixed(float(rate), 0),
                "–" if np.isnan(longest) or not counted else display.ms(float(longest)),
                str(stutters),
                bool(counted),
            )
            for rate, longest, stutters, counted in zip(
                read.rate_fps, read.longest_ms, begun.tolist(), counts, strict=True
            )
        ]

    def _trace_of(self, at: int) -> tuple[int, int]:
        """Where the trace of a lane begins, with its marks above it, and how high both are, px."""
        trace, above = self._places["trace"], self._places["mark"]["height"] + _EDGE
        return at * self._places["row"] + trace["y"] - above, above + trace["height"] + _EDGE

    def _written(self, at: int, sweep: int) -> tuple[Picture, Picture]:
        """All that a sweep writes of a lane, over its ground: as it is written, and paler as it is written over."""
        lane, trace, mark = self.lanes[at], self._places["trace"], self._places["mark"]
        (y, tall), wide = self._trace_of(at), trace["width"]
        ground = self._ground.crop((trace["x"], y, trace["x"] + wide, y + tall))
        if sweep < 0:
            return self._clear(ground), self._clear(ground)
        own = self.start_s - lane.offset_s + sweep * SWEEP_S
        edges = own + SWEEP_S * np.arange(wide + 1) / wide
        low, high = columns(lane.whole, edges)
        above = mark["height"] + _EDGE
        rows = [above + trace["height"] * (1.0 - np.minimum(one, self.top_ms) / self.top_ms) for one in (high, low)]
        seen = covered(rows[0] - _LINE / 2, rows[1] + _LINE / 2, tall)
        seen *= np.where(counting_at(lane.whole, lane.windows, (edges[:-1] + edges[1:]) / 2), 1.0, _UNCOUNTED)
        drawn = np.empty((tall, wide, 4), np.uint8)
        drawn[..., :3], drawn[..., 3] = self._colours[at], np.round(255 * seen)
        line = Image.fromarray(drawn)
        sprite = self._sprites.crop((0, self._sprites.height - mark["height"], mark["width"], self._sprites.height))
        for begins in lane.stutters_s:
            if edges[0] <= begins < edges[-1]:
                at_px = round((begins - edges[0]) / SWEEP_S * wide) - mark["width"] // 2
                line.alpha_composite(sprite, (min(max(0, at_px), wide - mark["width"]), 0))
        whole, pale = ground.copy(), ground.copy()
        line = self._edged(line)
        whole.alpha_composite(line)
        line.putalpha(line.getchannel("A").point(lambda one: round(one * _PALE)))
        pale.alpha_composite(line)
        return self._clear(whole), self._clear(pale)

    def _say(self, picture: Picture, at: int, said: _Numbers) -> None:
        """Write what is said of a lane over its ground."""
        top = at * self._places["row"]
        rate = self._places["rate"]
        self._stamp(picture, top, rate, rate["cells"], said.rate, 0)
        for name, words in (("longest", said.longest), ("stutters", said.stutters)):
            self._stamp(picture, top, self._places[name], self._places[name]["cells"], words, rate["height"])
        words, tall = self._places["not"], self._places["longest"]["height"]
        drawn = Image.new("RGBA", (words["width"], words["height"]))
        if not said.counts:
            y = rate["height"] + tall
            drawn = self._sprites.crop((0, y, words["width"], y + words["height"]))
        self._lay(picture, drawn, words["x"], top + words["y"])

    def _stamp(self, picture: Picture, top: int, place: dict[str, int], cells: int, words: str, row: int) -> None:
        """Digits in their cells, the last one in the last."""
        digits, cell, tall = self._places["digits"], place["cell"], place["height"]
        drawn = Image.new("RGBA", (cells * cell, tall))
        for i, one in enumerate(words[-cells:].rjust(cells)):
            if one != " ":
                left = digits.index(one) * cell
                drawn.paste(self._sprites.crop((left, row, left + cell, row + tall)), (i * cell, 0))
        self._lay(picture, drawn, place["x"], top + place["y"])

    def _lay(self, picture: Picture, drawn: Image.Image, x: int, y: int) -> None:
        """Something that changes, with its edge, over the ground at its place."""
        wide, tall = drawn.width + 2 * _EDGE, drawn.height + 2 * _EDGE
        x, y = max(0, x - _EDGE), max(0, y - _EDGE)
        whole = Image.new("RGBA", (wide, tall))
        whole.paste(drawn, (_EDGE, _EDGE))
        ground = self._ground.crop((x, y, x + wide, y + tall))
        ground.alpha_composite(self._edged(whole))
        there = picture[y : y + tall, x : x + wide]
        there[:] = self._clear(ground)[: there.shape[0], : there.shape[1]]

    def _edged(self, drawn: Image.Image) -> Image.Image:
        """The same with an edge around all that is seen."""
        alpha = drawn.getchannel("A").filter(ImageFilter.MaxFilter(2 * _EDGE + 1)).filter(ImageFilter.GaussianBlur(1))
        whole = Image.new("RGBA", drawn.size, self._edge)
        whole.putalpha(alpha.point(lambda one: round(one * _EDGE_SEEN)))
        whole.alpha_composite(drawn)
        return whole

    def _clear(self, drawn: Image.Image) -> Picture:
        """As pixels; what is not seen has the colour of edges, so that no other shines through when it is scaled."""
        found = np.asarray(drawn).copy()
        found[found[..., 3] == 0, :3] = self._edge
        return found


def top_of(captures: Sequence[Capture], budget_ms: float) -> float:
    """The frame time in ms at the upper edge of traces: of the longest frame, if that leaves something of the rest."""
    longest = max(float(one.frame_ms.max()) for one in captures)
    median = max(float(np.median(one.frame_ms)) for one in captures)
    least = _LEAST_BUDGETS * budget_ms
    return max(least, min(1.05 * longest, max(least, _MOST_MEDIANS * median)))


def covered(top: NDArray[np.float64], bottom: NDArray[np.float64], rows: int) -> NDArray[np.float64]:
    """How much of each pixel of columns lies between two heights: (rows, columns), nothing where there is none."""
    row = np.arange(rows)[:, None]
    found: NDArray[np.float64] = np.clip(np.minimum(row + 1, bottom) - np.maximum(row, top), 0.0, 1.0)
    return np.nan_to_num(found)


def _rgb(colour: str) -> Colour:
    red, green, blue = bytes.fromhex(colour.removeprefix("#"))
    return red, green, blue
