"""What arrived and what was measured of it: files, packs of many, captures with their figures."""

from intake.models.captures import (
    AllFigures,
    Capture,
    CaptureFigures,
    CaptureProfile,
    Channel,
    PassDoubt,
    Reported,
    SampledChannel,
    SampleSet,
)
from intake.models.files import PACKING, Arrival, ArrivalState, FileRole, LetGo, Original, PassFile, SavedMap
from intake.models.packs import EntryState, Pack, PackEntry, PackPiece, PackState

__all__ = [
    "PACKING",
    "AllFigures",
    "Arrival",
    "ArrivalState",
    "Capture",
    "CaptureFigures",
    "CaptureProfile",
    "Channel",
    "EntryState",
    "FileRole",
    "LetGo",
    "Original",
    "Pack",
    "PackEntry",
    "PackPiece",
    "PackState",
    "PassDoubt",
    "PassFile",
    "Reported",
    "SampleSet",
    "SampledChannel",
    "SavedMap",
]
