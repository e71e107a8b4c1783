"""Uploads within bounds: files go to disk piece by piece, and one that is too large is not kept at all."""

from __future__ import annotations

from typing import Any

from django.core.files.uploadedfile import UploadedFile
from django.core.files.uploadhandler import SkipFile, TemporaryFileUploadHandler
from django.http import HttpRequest
from problems import Problem
from strict import checked

#: Largest file taken. An hour of play at 200 fps with ten columns is under it; compressed, far more fits.
LARGEST_FILE = 64 * 1024 * 1024
_TOO_LARGE = "rennbahn.too_large"


class BoundedFileUploadHandler(TemporaryFileUploadHandler):
    """Writes uploads to a temporary file and drops one that grows beyond :data:`LARGEST_FILE`."""

    def receive_data_chunk(self, raw_data: bytes, start: int) -> None:
        """Take one piece; past the limit the rest is read from the connection and thrown away."""
        if start + len(raw_data) > LARGEST_FILE:
            if self.request is not None:
                self.request.META[_TOO_LARGE] = self.file_name
            self.file.close()
            raise SkipFile
        super().receive_data_chunk(raw_data, start)


def too_large_name(request: HttpRequest) -> str | None:
    """Name of the file that was dropped for its size, if one was."""
    _ = request.FILES  # reading the body is what runs the handlers
    name: str | None = request.META.get(_TOO_LARGE)
    return name


def whole_upload(request: HttpRequest, file: UploadedFile[Any] | None) -> UploadedFile[Any]:
    """The file that came with a request. Raises :class:`Problem` where it was too large or where none came."""
    large = too_large_name(request)
    many = sum(len(files) for _, files in request.FILES.lists())
    if large is None and many > 1:
        raise Problem(
            "one_file_a_request",
            f"{many} files came in one request, so none was kept.",
            field="file",
            hint="Send each in a request of its own.",
        )
    if large is None and file is not None:
        checked(file.name or "", "file")
        return file
    limit = f"{LARGEST_FILE // 2**20} MB"
    raise Problem(
        "too_large" if large else "no_file",
        f"“{large}” is larger than {limit} and was not kept." if large else "No file came with the request.",
        field="file",
        hint=f"Trim the recording in the logger or compress it with gzip or zstd: up to {limit} are taken.",
    )
