"""Exposure, view transforms and files."""

import io

import numpy as np
import pytest
from PIL import Image

from cyclorama.core.errors import IntakeError
from cyclorama.core.picture.exposure import exposure_scale, meter_ev100
from cyclorama.core.picture.exr import encode_exr
from cyclorama.core.picture.files import encode_frame
from cyclorama.core.picture.half_float import repair_pixels, widen_halves
from cyclorama.core.picture.linear import read_linear
from cyclorama.core.picture.view_transform import srgb_encode, to_display
from cyclorama.core.scene import Tone
from cyclorama.core.scene.tone import ViewName


def grey(value: float, shape: tuple[int, int] = (4, 4)) -> np.ndarray:
    return np.full((*shape, 3), value, np.float32)


def decode(display: float) -> float:
    return display / 12.92 if display <= 0.04045 else ((display + 0.055) / 1.055) ** 2.4


def test_exposure_is_iso_saturation_based() -> None:
    """At EV100 = 15 a luminance of 1.2 · 2^15 nit saturates."""
    assert exposure_scale(Tone(ev100=15)) * 1.2 * 2**15 == pytest.approx(1)
    assert exposure_scale(Tone(ev100=9, offset_stops=1)) == 2 * exposure_scale(Tone(ev100=9))


@pytest.mark.parametrize(("albedo", "shown"), [(0.18, 0.18), (0.6, 0.6), (0.95, 0.95), (0.03, 0.18)])
def test_an_even_subject_is_metered_as_light_as_it_is_and_never_darker_than_middle_grey(
    albedo: float, shown: float
) -> None:
    picture, mask = grey(640.0), np.ones((4, 4), np.float32)
    ev = meter_ev100([picture], [mask], [grey(albedo)])
    assert ev is not None
    assert 640 * exposure_scale(Tone(ev100=ev)) == pytest.approx(shown)


def test_nothing_to_meter() -> None:
    mask = np.ones((4, 4), np.float32)
    assert meter_ev100([grey(640.0)], [mask * 0], [grey(0.5)]) is None
    assert meter_ev100([grey(0.0)], [mask], [grey(0.5)]) is None


def test_metering_burns_out_small_highlights_only() -> None:
    """A quarter of the subject, forty times as bright, just saturates; a sixteenth may be burnt."""
    mask = np.ones((8, 8), np.float32)
    for rows, burnt in ((2, False), (1, True)):
        picture = np.full((8, 8, 3), 100.0, np.float32)
        picture[:rows, : 4 * rows] = 4000.0
        ev = meter_ev100([picture], [mask], [np.full_like(picture, 0.8)])
        assert ev is not None
        highlight = 4000 * exposure_scale(Tone(ev100=ev))
        assert highlight > 1.5 if burnt else highlight == pytest.approx(1.0)


def test_neutral_view_keeps_base_colours_and_compresses_highlights() -> None:
    """Khronos PBR Neutral: for greys 0.08…0.8 the value less 0.04; above, a curve that never reaches 1."""
    for value in (0.1, 0.3, 0.6, 0.79):
        assert decode(float(to_display(grey(value), "neutral")[0, 0, 0])) == pytest.approx(value - 0.04, abs=1e-4)
    # peak p: 1 − d² / (p + d − s), s = 0.76, d = 0.24
    assert decode(float(to_display(grey(3.0), "neutral")[0, 0, 0])) == pytest.approx(
        1 - 0.24**2 / (2.96 + 0.24 - 0.76), abs=1e-4
    )
    ramp = to_display(np.linspace(0, 50, 300, dtype=np.float32)[None, :, None].repeat(3, 2), "neutral")[0, :, 0]
    assert (np.diff(ramp) >= 0).all()
    assert ramp.max() <= 1


def test_srgb_view_and_aces_view() -> None:
    assert float(srgb_encode(np.float32(0.5))) == pytest.approx(0.735357, abs=1e-5)
    assert to_display(grey(7.0), "srgb").max() == pytest.approx(1.0)
    aces = to_display(grey(0.18), "aces")
    assert np.ptp(aces[0, 0]) < 2e-3  # neutral stays neutral
    assert 0.30 < float(aces[0, 0, 0]) < 0.45  # ACES 1.0 SDR shows middle grey at about 10 nit of 100
    assert to_display(grey(1e9), "aces").max() <= 1
    views: tuple[ViewName, ...] = ("neutral", "srgb", "aces")
    for view in views:
        broken = grey(0.5)
        broken[0, 0], broken[1, 1] = np.nan, np.inf
        shown = to_display(broken, view)
        assert (shown[0, 0] <= 0.1).all()
        assert (shown[1, 1] >= 0.97).all()


def test_the_encoding_of_light_follows_the_standard_everywhere() -> None:
    light = np.concatenate([np.linspace(-0.1, 1.1, 30_001), np.geomspace(1e-7, 1, 30_000)]).astype(np.float32)
    x = np.clip(light.astype(np.float64), 0, 1)
    wanted = np.where(x <= 0.0031308, 12.92 * x, 1.055 * x ** (1 / 2.4) - 0.055)
    shown = to_display(np.repeat(light[None, :, None], 3, axis=2), "srgb")
    assert np.abs(shown - wanted[None, :, None]).max() < 1e-6


def test_halves_become_the_same_floats() -> None:
    every = np.arange(1 << 16, dtype=np.uint16).view(np.float16).reshape(-1, 1, 1)
    sound, broken = repair_pixels(every)
    assert broken == 2 * 1024  # exponents of ones: two infinities, the rest no numbers
    assert (widen_halves(sound).view(np.uint32) == sound.astype(np.float32).view(np.uint32)).all()
    assert widen_halves(sound)[0x7C00] == 65504  # what is infinite
    assert widen_halves(sound)[0x7C01] == 0  # what is no number


def test_exr_round_trip() -> None:
    rng = np.random.default_rng(0)
    picture = (rng.random((8, 16, 3)) * 100).astype(np.float32)
    assert read_linear(encode_exr(picture), "a.exr") == pytest.approx(picture, rel=1e-3)


def hdr(width: int, height: int, rows: bytes) -> bytes:
    return b"#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y %d +X %d\n" % (height, width) + rows


def test_hdr_flat_and_run_length() -> None:
    pixel = bytes([128, 64, 32, 129])  # 128/256 · 2^(129−128) = 1
    assert read_linear(hdr(4, 2, pixel * 8), "a.hdr")[0, 0] == pytest.approx([1, 0.5, 0.25])
    row = b"\x02\x02\x00\x10" + b"".join(bytes([128 + 16, v]) for v in (128, 64, 32, 129))
    assert read_linear(hdr(16, 2, row * 2), "a.hdr")[1, 15] == pytest.approx([1, 0.5, 0.25])
    mixed = b"\x02\x02\x00\x10" + b"".join(bytes([128 + 8, v, 8]) + bytes([v] * 8) for v in (128, 64, 32, 129))
    assert read_linear(hdr(16, 1, mixed), "a.hdr")[0, 8] == pytest.approx([1, 0.5, 0.25])


@pytest.mark.parametrize(
    "data",
    [
        b"",
        b"nonsense",
        b"#?RADIANCE\n\nno size",
        hdr(16, 4, b"\x02\x02\x00\x10\x80"),
        hdr(4, 4, b"short"),
        b"\x76\x2f\x31\x01" + b"broken" * 10,
        hdr(100_000, 100_000, b""),
    ],
)
def test_broken_environments_get_a_sentence(data: bytes) -> None:
    with pytest.raises(IntakeError) as error:
        read_linear(data, "sky")
    assert "sky" in error.value.sentence


def test_frames_hold_alpha_where_the_format_can() -> None:
    look = Tone(ev100=0, view="srgb")
    radiance, alpha = grey(0.3), np.full((4, 4), 0.5, np.float32)
    with Image.open(io.BytesIO(encode_frame(radiance, alpha, look, "png"))) as image:
        assert image.mode == "RGBA"
        r, _, _, a = image.getpixel((0, 0))  # type: ignore[misc]
    assert a == 128
    assert decode(r / 255) == pytest.approx(0.3 / 1.2 / 0.5, abs=0.004)  # straight, not premultiplied
    with Image.open(io.BytesIO(encode_frame(radiance, None, look, "jpeg"))) as image:
        assert image.format == "JPEG"
    assert read_linear(encode_frame(radiance, None, look, "exr"), "f")[0, 0, 0] == pytest.approx(0.25, rel=1e-3)
