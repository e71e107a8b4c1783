"""Data packages: all that the numbers of a study depend on in one zip, and every number computed again from it.

measures.md 12; which files a package has is in docs/formats.md.
"""

from rennbahn.packages.files import Package, package_chunks, write_package
from rennbahn.packages.tables import CaptureFile, LaneMore, PassMore, SampleFile, tables_of
from rennbahn.packages.verify import Verified, verify

__all__ = [
    "CaptureFile",
    "LaneMore",
    "Package",
    "PassMore",
    "SampleFile",
    "Verified",
    "package_chunks",
    "tables_of",
    "verify",
    "write_package",
]
