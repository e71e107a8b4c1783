"""Files in a zip, whoever packed it: read within bounds, and by names that stay where they are unpacked."""

from __future__ import annotations

import zipfile
import zlib
from pathlib import PurePosixPath

#: What is unpacked piece by piece, however much it holds; other ways to pack give all of it at once.
WAYS = (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED)
#: What reading an entry raises that is damaged, locked, or packed in a rare way.
UNREADABLE = (zipfile.BadZipFile, zlib.error, OSError, RuntimeError, NotImplementedError, EOFError)
_CHUNK = 2**20


def read_entry(packed: zipfile.ZipFile, entry: zipfile.ZipInfo, most: int) -> bytes:
    """A file of a zip: `most` bytes, and one more where it is larger. Raises one of :data:`UNREADABLE`."""
    if entry.compress_type not in WAYS:
        raise NotImplementedError("it is packed in a way that only whole files come out of: pack it by deflate")
    parts, left = [], most + 1
    with packed.open(entry) as stream:
        while left > 0 and (part := stream.read(min(_CHUNK, left))):
            parts.append(part)
            left -= len(part)
    return b"".join(parts)


def leads_out(name: str) -> bool:
    """Whether a name in a zip would leave the folder it is unpacked into."""
    path = PurePosixPath(name.replace("\\", "/"))
    return path.is_absolute() or ".." in path.parts or ":" in next(iter(path.parts), "")
