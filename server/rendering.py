"""What the interface's own components draw for the server: pages of editions as the editor showed them, film strips.

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
        super().__init__("cannot_draw", f"It could not be drawn: {why}.", hint="Nothing was written.")


def render(program: str, of: dict[str, Any]) -> dict[str, Any]:
    """What a program of the interface, as `draw` or `film`, draws. Raises :class:`CannotDraw`."""
    path, node = settings.WEB_DIST.parent / "dist-page" / f"{program}.js", shutil.which("node")
    if node is None or not path.is_file():
        raise CannotDraw("Node is missing" if node is None else "its program is not built")
    with _drawing.turn():
        try:
            done = subprocess.run(
                [node, "--max-old-space-size=512", path], input=orjson.dumps(of, default=_plain),
                capture_output=True, timeout=_LONGEST_S, check=False, env={"PATH": "", "NODE_ENV": "production"},
            )  # fmt: skip
        except subprocess.TimeoutExpired:
            raise CannotDraw(f"it took longer than {_LONGEST_S} s") from None
    if done.returncode:
        log.error("drawing by %s failed: %s", program, done.stderr.decode(errors="replace")[:2000])
        raise CannotDraw("its program failed")
    found: dict[str, Any] = orjson.loads(done.stdout)
    return found


def _plain(value: Any) -> Any:
    return value.model_dump() if hasattr(value, "model_dump") else str(value)
