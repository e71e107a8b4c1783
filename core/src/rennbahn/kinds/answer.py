"""The answer to a study's question, by its kind, as plain data under the kind's name."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from rennbahn.comparing.cells import Sheet
from rennbahn.comparing.model import AVERAGE, Study, low_figure
from rennbahn.kinds.budget import budget_of
from rennbahn.kinds.grid import grid_of
from rennbahn.kinds.ladder import extra_frames, ladder_of
from rennbahn.kinds.limits import Limits, limits_of
from rennbahn.kinds.proxy import proxy_of
from rennbahn.kinds.scaling import scaling_of
from rennbahn.kinds.several import several_of
from rennbahn.kinds.sweep import sweep_of
from rennbahn.plain import plain


@dataclass(frozen=True)
class Answer:
    """What a study of a kind other than A against B is answered by (`own`, under the kind's name), and its limits."""

    kind: str
    own: Any
    limits: Limits

    def as_json(self) -> dict[str, Any]:
        """Plain data; A against B has only its limits here."""
        return ({self.kind: self.own} if self.own is not None else {}) | {"limits": plain(self.limits)}


def answer_of(sheet: Sheet) -> Answer:
    """The answer to the study of a sheet. Raises :class:`RennbahnError` where lanes lack what their kind needs."""
    study, limits = sheet.study, limits_of(sheet)
    make = _KINDS.get(study.kind)
    return Answer(study.kind, make(sheet, limits) if make else None, limits)


def leading_figures(study: Study) -> tuple[str, str]:
    """The figures that every kind is answered in: the average, and the 1% low of the study's school."""
    return AVERAGE, low_figure("1", study.method.low_school)


def _blocks(sheet: Sheet, make: Callable[[str, str | None], Any]) -> list[Any]:
    """By group (all tests where none is named) and figure."""
    figures = [figure for figure in leading_figures(sheet.study) if figure in sheet.figure_at]
    return [plain(make(figure, group)) for group in sheet.study.groups or (None,) for figure in figures]


def _ladder(sheet: Sheet, _: Limits) -> Any:
    def block(figure: str, group: str | None) -> Any:
        found = ladder_of(sheet, figure, group)
        return plain(found) | {"extra_frames": extra_frames(found.lanes)}

    return _blocks(sheet, block)


def _first(blocks: list[dict[str, Any]]) -> dict[str, Any]:
    """The first block in full, the others beside it."""
    return blocks[0] | {"others": blocks[1:]} if blocks else {}


def _sweep(sheet: Sheet, _: Limits) -> Any:
    return _first(_blocks(sheet, lambda figure, group: sweep_of(sheet, figure, group)))


def _grid(sheet: Sheet, _: Limits) -> Any:
    return _first(_blocks(sheet, lambda figure, group: grid_of(sheet, figure, group)))


def _scaling(sheet: Sheet, _: Limits) -> Any:
    return _first(_blocks(sheet, lambda figure, group: scaling_of(sheet, figure, group)))


def _several(sheet: Sheet, limits: Limits) -> Any:
    return _first(_blocks(sheet, lambda figure, group: several_of(sheet, figure, limits, group)))


def _budget(sheet: Sheet, _: Limits) -> Any:
    return plain(budget_of(sheet.study))


def _proxy(sheet: Sheet, _: Limits) -> Any:
    figures = [figure for figure in leading_figures(sheet.study) if figure in sheet.figure_at]
    return [plain(gauge) for figure in figures for gauge in proxy_of(sheet, figure)]


_KINDS: Mapping[str, Callable[[Sheet, Limits], Any]] = {
    "ladder": _ladder, "sweep": _sweep, "grid": _grid, "scaling": _scaling, "budget": _budget, "several": _several,
    "proxy": _proxy,
}  # fmt: skip
