"""The page of an edition, drawn by the interface's own components, so that it is what the editor showed.

They are built for Node beside the interface. What they get is data of ours and prose that was checked; React escapes
every text of it, and no markup of anybody is ever taken over.
"""

from __future__ import annotations

import logging
import shutil
import subprocess
from typing import Any

import orjson
from django.conf import settings
from problems import Problem
from waiting import Turns

log = logging.getLogger(__name__)
_drawing = Turns("Another page is being drawn")
_LONGEST_S = 60


class CannotDraw(Problem):
    """There is no Node, or it failed."""

    status = 503

    def __init__(self, why: str) -> None:
        super().__init__("cannot_draw", f"The page could not be drawn: {why}.", hint="Nothing was written.")


def render(page: dict[str, Any]) -> dict[str, str]:
    """The files `page` and `numbers` as HTML that needs no server. Raises :class:`CannotDraw`."""
    program, node = settings.WEB_DIST.parent / "dist-page" / "draw.js", shutil.which("node")
    if node is None or not program.is_file():
        raise CannotDraw("Node is missing" if node is None else "its program is not built")
    with _drawing.turn():
        try:
            done = subprocess.run(
                [node, "--max-old-space-size=512", program], input=orjson.dumps(page, default=_plain),
                capture_output=True, timeout=_LONGEST_S, check=False, env={"PATH": "", "NODE_ENV": "production"},
            )  # fmt: skip
        except subprocess.TimeoutExpired:
            raise CannotDraw(f"it took longer than {_LONGEST_S} s") from None
    if done.returncode:
        log.error("drawing a page failed: %s", done.stderr.decode(errors="replace")[:2000])
        raise CannotDraw("its program failed")
    found: dict[str, str] = orjson.loads(done.stdout)
    return found


def _plain(value: Any) -> Any:
    return value.model_dump() if hasattr(value, "model_dump") else str(value)
