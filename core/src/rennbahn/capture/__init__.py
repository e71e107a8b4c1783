"""Captures: the per-frame record of a pass, read from open formats by a column map.

One place turns files into clean float64 milliseconds (:func:`read_capture`); the mathematics never checks again.
"""

from rennbahn.capture.capture import Capture, Samples
from rennbahn.capture.columns import CHANNELS, ColumnMap, ColumnUse
from rennbahn.capture.propose import Proposal, propose_columns, propose_samples
from rennbahn.capture.read import read_capture, read_samples

__all__ = [
    "CHANNELS",
    "Capture",
    "ColumnMap",
    "ColumnUse",
    "Proposal",
    "Samples",
    "propose_columns",
    "propose_samples",
    "read_capture",
    "read_samples",
]
