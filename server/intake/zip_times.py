"""When the files of a zip were last written, as far as it says."""

from __future__ import annotations

import struct
import zipfile
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

#: The extra field in which packers write times as seconds since 1970, and the flag of the time of writing in it.
_TIMES, _WRITTEN = 0x5455, 1
#: Where a zip says nothing, its clock stands at its beginning.
_FIRST_YEAR = 1981
#: A clock may go a little wrong; a file of tomorrow does not say when it was written.
_AHEAD = timedelta(days=1)


def written_at(file: zipfile.ZipInfo, zone: ZoneInfo | None, now: datetime) -> datetime | None:
    """When a file was last written: exactly where its packer wrote that, else by the clock of `zone`, to two seconds.

    None where it does not say, or says what cannot be.
    """
    found = _exact(file.extra) or (_by_clock(file, zone) if zone else None)
    return found if found and found.year >= _FIRST_YEAR and found <= now + _AHEAD else None


def _exact(extra: bytes) -> datetime | None:
    at = 0
    while at + 4 <= len(extra):
        kind, size = struct.unpack_from("<HH", extra, at)
        at += 4
        if kind == _TIMES and size >= 5 and at + 5 <= len(extra) and extra[at] & _WRITTEN:
            (seconds,) = struct.unpack_from("<i", extra, at + 1)
            return datetime.fromtimestamp(seconds, UTC)
        at += size
    return None


def _by_clock(file: zipfile.ZipInfo, zone: ZoneInfo) -> datetime | None:
    try:
        return datetime(*file.date_time, tzinfo=zone).astimezone(UTC)
    except (ValueError, OverflowError):
        # Garbage in a directory of its own making is no time.
        return None
