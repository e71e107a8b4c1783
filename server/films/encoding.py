"""Pictures as a film whose ground is clear: WebM, VP9 with an alpha channel beside its colours."""

from __future__ import annotations

from collections.abc import Iterable
from fractions import Fraction
from pathlib import Path

from films.painting import Picture

#: Quick, since most of a picture is as it was; the quality is what lets small letters be read.
_OPTIONS = {
    "deadline": "realtime", "cpu-used": "8", "row-mt": "1", "threads": "2", "tune-content": "screen",
    "crf": "24", "b": "0", "lag-in-frames": "0", "auto-alt-ref": "0",
}  # fmt: skip
_BT_709, _LIMITED = 1, 1


def encode(path: Path, size: tuple[int, int], rate: int, pictures: Iterable[Picture]) -> None:
    """Write pictures of one size (width, height), each (height, width, 4): red, green, blue, alpha."""
    import av  # noqa: PLC0415 - slow to load, and rarely wanted

    with av.open(str(path), "w", format="webm") as film:
        stream = film.add_stream("libvpx-vp9", rate=Fraction(rate))
        stream.width, stream.height = size
        stream.pix_fmt = "yuva420p"
        stream.options = dict(_OPTIONS)
        stream.metadata["alpha_mode"] = "1"
        stream.codec_context.colorspace, stream.codec_context.color_range = _BT_709, _LIMITED
        for picture in pictures:
            frame = av.VideoFrame.from_ndarray(picture, format="rgba")
            film.mux(stream.encode(frame.reformat(format="yuva420p", dst_colorspace=_BT_709)))
        film.mux(stream.encode(None))
