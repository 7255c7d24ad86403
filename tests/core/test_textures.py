"""Pictures as kernels read them: smaller versions, wrapping, rows that share a picture; and polynomials for angles."""

import math
from itertools import pairwise

import numpy as np
import pytest

from cyclorama.core.kernel import kernel
from cyclorama.core.textures import (
    BLACK,
    CLAMP,
    MIRROR,
    REPEAT,
    Textures,
    TextureShelf,
    lookup_filtered,
    lookup_mask,
    smaller_versions,
)
from cyclorama.core.trig import half_turns_from_pole, sincos_turns, turns_of


@kernel
def look(textures, index, u, v, extent, as_mask, out):  # type: ignore[no-untyped-def]
    for i in range(u.shape[0]):
        if as_mask:
            out[i, 0], out[i, 1], out[i, 2] = lookup_mask(textures, index, u[i], v[i], extent)
        else:
            out[i, 0], out[i, 1], out[i, 2], _ = lookup_filtered(textures, index, u[i], v[i], extent)


def looked(textures: Textures, index: int, u, v, extent: float = 0.0, as_mask: bool = False) -> np.ndarray:  # type: ignore[no-untyped-def]
    u, v = np.broadcast_arrays(np.asarray(u, np.float64), np.asarray(v, np.float64))
    out = np.zeros((u.size, 3))
    look(textures, index, np.ascontiguousarray(u.ravel()), np.ascontiguousarray(v.ravel()), extent, as_mask, out)
    return out


def picture(height: int, width: int, seed: int = 0) -> np.ndarray:
    return np.random.default_rng(seed).integers(0, 256, (height, width, 4), dtype=np.uint8)


def decoded(value: np.ndarray) -> np.ndarray:
    """IEC 61966-2-1, written out once more."""
    x = np.asarray(value) / 255.0
    return np.where(x <= 0.04045, x / 12.92, ((x + 0.055) / 1.055) ** 2.4)


def plainly(pixels: np.ndarray, mode: int, u: np.ndarray, v: np.ndarray) -> np.ndarray:
    """Bilinear lookup of bytes as numbers 0…1, with indices taken from a picture that is laid out by NumPy."""
    h, w = pixels.shape[:2]
    pad = {REPEAT: "wrap", MIRROR: "symmetric", CLAMP: "edge", BLACK: "edge"}[mode]
    far = 6
    laid = np.pad(pixels[..., :3] / 255.0, ((far * h, far * h), (far * w, far * w), (0, 0)), mode=pad)  # type: ignore[call-overload]
    x, y = u * w - 0.5 + far * w, v * h - 0.5 + far * h
    i, j = np.floor(x).astype(int), np.floor(y).astype(int)
    fx, fy = (x - i)[:, None], (y - j)[:, None]
    top = laid[j, i] * (1 - fx) + laid[j, i + 1] * fx
    bottom = laid[j + 1, i] * (1 - fx) + laid[j + 1, i + 1] * fx
    return top * (1 - fy) + bottom * fy


@pytest.mark.parametrize("mode", [REPEAT, MIRROR, CLAMP, BLACK])
@pytest.mark.parametrize("size", [(1, 1), (4, 4), (3, 7), (5, 2)])
def test_lookups_wrap_as_they_say(mode: int, size: tuple[int, int]) -> None:
    pixels = picture(*size)
    shelf = TextureShelf()
    index = shelf.row("picture", lambda: pixels, False, mode)
    u, v = np.random.default_rng(1).uniform(-4, 5, (2, 400))
    expected = plainly(pixels, mode, u, v)
    assert np.allclose(looked(shelf.arrays(), index, u, v), expected, atol=1e-6)
    inside = (u >= 0) & (u <= 1) & (v >= 0) & (v <= 1)
    if mode == BLACK:
        expected = np.where(inside[:, None], expected, 0.0)
    assert np.allclose(looked(shelf.arrays(), index, u, v, as_mask=True), expected, atol=1e-6)


@pytest.mark.parametrize("size", [(8, 8), (7, 5), (1, 9), (64, 3)])
def test_smaller_versions_halve_down_to_the_mean(size: tuple[int, int]) -> None:
    """Sizes are halved and rounded up; of even pictures the last pixel is the mean of all, numbers as they are."""
    pixels = picture(*size)
    versions = smaller_versions(pixels, False)
    for before, after in pairwise(versions):
        assert after.shape[:2] == tuple(-(-n // 2) for n in before.shape[:2])
    assert versions[-1].shape == (1, 1, 4)
    if size == (8, 8):
        assert np.abs(versions[-1][0, 0] - pixels.reshape(-1, 4).mean(axis=0)).max() <= 3  # half a step a halving
        assert np.array_equal(versions[1][0, 0], (pixels[:2, :2].reshape(4, 4).mean(axis=0) + 0.5).astype(np.uint8))


def test_colours_are_averaged_as_light() -> None:
    """A chequerboard of black and white is half the light from afar, which is 188 as a byte, not 128."""
    board = np.zeros((16, 16, 4), np.uint8)
    board[::2, ::2] = board[1::2, 1::2] = 255
    board[..., 3] = 255
    assert smaller_versions(board, True)[-1][0, 0].tolist() == [188, 188, 188, 255]
    assert smaller_versions(board, False)[-1][0, 0, 0] == 128
    shelf = TextureShelf()
    index = shelf.row("board", lambda: board, True, REPEAT)
    far, near = (looked(shelf.arrays(), index, 0.5 / 16, 0.5 / 16, extent) for extent in (1.0, 0.0))
    assert far == pytest.approx(0.5, abs=0.005)
    assert near == pytest.approx(1.0)


def test_between_two_versions_the_lookup_goes_straight() -> None:
    """Over 1, 1½ and 2 levels: log₂ of the footprint in pixels."""
    pixels = picture(16, 16)
    shelf = TextureShelf()
    index = shelf.row("picture", lambda: pixels, True, REPEAT)
    at = [looked(shelf.arrays(), index, 0.3, 0.6, 2.0**level / 16) for level in (1.0, 1.5, 2.0)]
    assert at[1] == pytest.approx((at[0] + at[2]) / 2, abs=1e-6)
    one = decoded(smaller_versions(pixels, True)[-1][0, 0, :3])
    assert looked(shelf.arrays(), index, 0.3, 0.6, 50.0)[0] == pytest.approx(one, abs=1e-6)


def test_a_picture_is_kept_once_and_put_together_once() -> None:
    """Rows that use it in other ways share its bytes; the arrays are made again only when something came."""
    calls = []
    shelf = TextureShelf()

    def pixels() -> np.ndarray:
        calls.append(1)
        return picture(32, 32)

    assert shelf.arrays().texels.shape == (1, 4)
    first = shelf.row("a", pixels, False, REPEAT)
    kept = shelf.arrays()
    again, mirrored = shelf.row("a", pixels, False, REPEAT), shelf.row("a", pixels, False, MIRROR)
    assert (first, again) == (0, 0)
    assert mirrored == 1
    after = shelf.arrays()
    assert after is not kept
    assert after is shelf.arrays()
    assert len(after.texels) == len(kept.texels) == 32 * 32 + 16 * 16 + 8 * 8 + 4 * 4 + 2 * 2 + 1
    shelf.row("a", pixels, True, REPEAT)  # as a colour its smaller versions are others
    assert len(shelf.arrays().texels) == 2 * len(after.texels)
    assert len(calls) == 2


@pytest.mark.parametrize("broken", [np.nan, np.inf, -np.inf, 1e300])
def test_broken_coordinates_stay_within_the_picture(broken: float) -> None:
    shelf = TextureShelf()
    index = shelf.row("picture", lambda: picture(5, 3), False, REPEAT)
    corner = looked(shelf.arrays(), index, 0.0, 0.0)
    for u, v in ((broken, 0.5), (0.5, broken), (broken, broken)):
        assert np.array_equal(looked(shelf.arrays(), index, u, v), corner)


@kernel
def angles(x, y, out):  # type: ignore[no-untyped-def]
    for i in range(x.shape[0]):
        out[i, 0], out[i, 1] = sincos_turns(x[i])
        out[i, 2] = turns_of(y[i], x[i])
        out[i, 3] = half_turns_from_pole(y[i])


def test_polynomials_are_as_accurate_as_they_say() -> None:
    rng = np.random.default_rng(0)
    x, y = rng.uniform(-3, 3, 20_000), rng.uniform(-1, 1, 20_000)
    x[:9] = [0, 0.25, -0.25, 0.5, -0.5, 1, -1, 0.125, 2.75]
    y[:9] = [0, 1, -1, 0.5, -0.5, 1, -1, 0, 0]
    out = np.zeros((len(x), 4))
    angles(x, y, out)
    truth = np.stack(
        [np.sin(2 * math.pi * x), np.cos(2 * math.pi * x), np.arctan2(y, x) / (2 * math.pi), np.arccos(y) / math.pi],
        axis=1,
    )
    gap = np.abs(out - truth)
    gap[:, 2] = np.minimum(gap[:, 2], 1.0 - gap[:, 2])  # half a turn either way round is the same
    assert gap.max(axis=0) == pytest.approx([0, 0, 0, 0], abs=6e-8)
