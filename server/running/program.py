"""The program for the test machine, as it is served: one file, with address and token filled in."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path


@lru_cache(maxsize=1)
def source() -> str:
    """The program as it is kept in the repository."""
    return (Path(__file__).parents[2] / "bench_link" / "bench_link.py").read_text(encoding="utf-8")


def filled_in(address: str, token: str) -> str:
    """The program that knows where to send and by which token."""
    return (
        source()
        .replace('ADDRESS = ""', f"ADDRESS = {address.rstrip('/')!r}")
        .replace('TOKEN = ""', f"TOKEN = {token!r}")
    )
