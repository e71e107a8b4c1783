"""Cells of a CSV table that spreadsheets will open."""

from __future__ import annotations

_FORMULA = ("=", "+", "-", "@", "\t", "\r")


def safe_cell(text: str) -> str:
    """Text that a spreadsheet will not take for a formula, whatever a user called their things."""
    return f"'{text}" if text[:1] in _FORMULA else text


def bare_cell(text: str) -> str:
    """What :func:`safe_cell` made safe, as it was."""
    return text[1:] if text[:1] == "'" and text[1:2] in _FORMULA else text
