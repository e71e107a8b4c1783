"""Latency from counted frames: the camera's rate first, then what devices take, and how any two of them differ.

Definitions are those of docs/measures.md, section 9. A clip whose rate is not what its camera says gives no number.
"""

from rennbahn.latency.answer import Latency, ReaderError, latency_of
from rennbahn.latency.curves import Curve, Region, curves_of
from rennbahn.latency.devices import MOST_PRESSES, DeviceFigures, DisplayAdds, Pair
from rennbahn.latency.model import READING_ERROR_S, Clip, Device, LatencyStudy, Press, Reading
from rennbahn.latency.proposals import LONGEST_S, Proposed, proposed
from rennbahn.latency.rate import Rate, rate_of, seconds_for_ok, uneven_times
from rennbahn.latency.read import study_from_json
from rennbahn.latency.sentences import clip_words, pair_words, sentences_of

__all__ = [
    "LONGEST_S",
    "MOST_PRESSES",
    "READING_ERROR_S",
    "Clip",
    "Curve",
    "Device",
    "DeviceFigures",
    "DisplayAdds",
    "Latency",
    "LatencyStudy",
    "Pair",
    "Press",
    "Proposed",
    "Rate",
    "ReaderError",
    "Reading",
    "Region",
    "clip_words",
    "curves_of",
    "latency_of",
    "pair_words",
    "proposed",
    "rate_of",
    "seconds_for_ok",
    "sentences_of",
    "study_from_json",
    "uneven_times",
]
