"""Rows that are there, written back with other values: many in one statement."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import TypeVar

from django.db.models import Model

M = TypeVar("M", bound=Model)


def write_back(rows: Sequence[M], fields: Collection[str]) -> None:
    """Write some fields of rows that are there and locked, or whose parent is.

    An insert that meets each of them takes the values as arrays. A bulk update builds a case a row and field instead,
    which costs several times as much as what the database does with it.
    """
    if rows:
        type(rows[0])._default_manager.bulk_create(
            rows, update_conflicts=True, unique_fields=["pk"], update_fields=fields
        )
