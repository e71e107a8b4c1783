"""Sizes as people write them, and what an upscaled lane is held against."""

from __future__ import annotations

import pytest
from rennbahn.comparing.resolutions import Drawing, chain_of, inside_pixels, native_at_output_of, native_of, pixels_of

UHD, QHD = "3840 × 2160", "2560x1440"


@pytest.mark.parametrize(
    ("text", "size"),
    [("2560 × 1440", (2560, 1440)), ("3840x2160", (3840, 2160)), ("1440p", None), ("0 x 10", None), ("", None)],
)
def test_a_size_is_two_numbers(text: str, size: tuple[int, int] | None) -> None:
    assert pixels_of(text) == size


@pytest.mark.parametrize(
    ("upscaling", "pixels"),
    [
        ("quality, 66.7%", 3840 * 2160 * 0.667**2), ("half, 50 %", 1920 * 1080), ("66,7 %", 3840 * 2160 * 0.667**2),
        ("from 2560 × 1440", 2560 * 1440), ("off", None), ("", None), ("quality", None),
    ],
)  # fmt: skip
def test_what_is_drawn_inside_is_a_size_or_a_share_of_each_side(upscaling: str, pixels: float | None) -> None:
    found = inside_pixels(Drawing(UHD, upscaling))
    assert found == (None if pixels is None else pytest.approx(pixels))


def test_the_native_lane_draws_as_much_with_all_else_alike() -> None:
    told = [
        Drawing(UHD, "quality, 66.7%", "high"), Drawing(QHD, "", "low"), Drawing(QHD, "", "high", ray_tracing="on"),
        None, Drawing(QHD, "balanced, 50%", "high"), Drawing(QHD, "off", "high"), Drawing(UHD, "", "high"),
    ]  # fmt: skip
    assert native_of(0, told) == 5
    assert native_of(6, told) is None, "a native lane has none"
    assert native_of(3, told) is None
    assert native_of(4, told) is None, "nobody drew as few pixels natively"
    assert native_at_output_of(0, told) == 6, "the native lane of the same output"
    assert native_at_output_of(4, told) == 5
    assert native_at_output_of(6, told) is None
    assert [chain_of(one) for one in told[:4]] == ["3840 x 2160", "2560 x 1440", "2560 x 1440", ""]
    assert chain_of(Drawing("Full  HD")) == "full hd"
