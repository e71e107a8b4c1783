"""A large file that is sent in pieces, so that no request is large and none is held in memory whole."""

from __future__ import annotations

import contextlib
import tempfile
from collections.abc import Iterator
from typing import Any

from django.conf import settings
from django.db import models
from problems import Conflict, Problem
from storing import Placed, let_go

#: Such a file is at most so large.
MOST_PACKED = 2 * 2**30


class InPieces(models.Model):
    """A row whose `pieces` make a file of `size` bytes."""

    name = models.CharField(max_length=255)
    size = models.PositiveBigIntegerField(default=0)
    made_at = models.DateTimeField(auto_now_add=True)

    #: Rows of :class:`storing.Held`, each with its position.
    pieces: Any

    class Meta:
        abstract = True

    def __str__(self) -> str:
        return self.name


def keep_piece(of: InPieces, position: int, content: bytes, placed: Placed) -> None:
    """Keep the next piece, the row locked. One that is there already may come again, as after a broken connection.

    Raises :class:`Problem` where another piece is due, or the file grows too large.
    """
    there = of.pieces.filter(position=position).first()
    if there is not None and there.held() == content:
        let_go([placed.stored])
        return
    due = of.pieces.count()
    if position != due:
        raise Conflict("another_piece", f"Piece {due} of it is due (got {position}).")
    if of.size + len(content) > MOST_PACKED:
        raise Problem(
            "too_large",
            f"It grows beyond {MOST_PACKED // 2**30} GB.",
            field="file",
            hint="Send it in several: what is here already is passed over.",
        )
    of.pieces.create(position=position, **placed.fields())
    of.size += len(content)
    of.save(update_fields=["size"])


def drop_pieces(of: InPieces) -> None:
    """Throw the pieces away, within a transaction."""
    let_go(list(of.pieces.values_list("stored", flat=True)))
    of.pieces.all().delete()


@contextlib.contextmanager
def whole(of: InPieces, prefix: str = "pack-") -> Iterator[str]:
    """Where the file that the pieces make lies on disk."""
    with tempfile.NamedTemporaryFile(dir=settings.FILE_UPLOAD_TEMP_DIR, prefix=prefix, suffix=".zip") as file:
        for piece in of.pieces.order_by("position").iterator(chunk_size=1):
            file.write(piece.held())
        file.flush()
        yield file.name
