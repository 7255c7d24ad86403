"""Scopes of synthetic charts, and figures of differences."""

import numpy as np
import pytest

from cyclorama.core.picture.compare import difference, signed_difference, ssim
from cyclorama.core.picture.scopes import (
    COLUMNS,
    FALSE_COLOURS,
    FALSE_STOPS,
    LEVELS,
    VECTOR_SIZE,
    chroma,
    false_colour_legend,
    false_colours,
    histogram,
    parade,
    peaking,
    vectorscope,
    waveform,
)

BARS = (
    np.array([[1, 1, 1], [1, 1, 0], [0, 1, 1], [0, 1, 0], [1, 0, 1], [1, 0, 0], [0, 0, 1], [0, 0, 0]], np.float32)
    * 0.75
)


def chart() -> np.ndarray:
    """Colour bars of three quarters, 8 × 32 columns."""
    return np.repeat(np.tile(BARS.repeat(32, axis=0), (64, 1, 1)), 1, axis=0)


def test_a_waveform_of_bars_has_their_luma() -> None:
    dense = waveform(chart())
    for i, bar in enumerate(BARS):
        rows = np.flatnonzero(dense[:, i * COLUMNS // 8 + 4])
        luma = float(bar @ [0.2126, 0.7152, 0.0722])
        assert rows.tolist() == [LEVELS - 1 - int(luma * (LEVELS - 1) + 0.5)]


def test_a_parade_shows_each_channel_in_its_colour() -> None:
    dense = parade(chart())
    assert dense.shape == (LEVELS, 3 * COLUMNS, 3)
    for c in range(3):
        part = dense[:, c * COLUMNS : (c + 1) * COLUMNS]
        assert part[..., c].max() > 2 * part[..., (c + 1) % 3].max()
        high = LEVELS - 1 - int(0.75 * (LEVELS - 1) + 0.5)
        lit = [bool(part[high, i * COLUMNS // 8 + 4, c]) for i in range(8)]
        assert lit == [bool(bar[c] > 0) for bar in BARS]


def test_full_colours_lie_where_the_standard_puts_them() -> None:
    red, blue = chroma(np.array([[1, 0, 0], [0, 0, 1]], np.float32))
    np.testing.assert_allclose(red, [-0.2126 / 1.8556, 0.5], atol=1e-4)
    np.testing.assert_allclose(blue, [0.5, -0.0722 / 1.5748], atol=1e-4)
    found = vectorscope(np.full((10, 10, 3), (0.75, 0, 0), np.float32))
    rows, columns = np.nonzero(found.sum(axis=2))
    assert rows.tolist() == [VECTOR_SIZE - 1 - int((0.5 + 0.375) * VECTOR_SIZE)]
    assert columns.tolist() == [int((0.5 - 0.75 * 0.2126 / 1.8556) * VECTOR_SIZE)]
    assert found[rows[0], columns[0], 0] > 200
    assert found[rows[0], columns[0], 1] == 0


def test_a_histogram_counts_every_pixel_once_and_names_the_ends() -> None:
    picture = np.full((10, 10, 3), 0.5, np.float32)
    picture[0, :3] = (1.0, 0.5, 0.0)
    found = histogram(picture)
    assert found.counts.sum(axis=1).tolist() == [100] * 4
    assert found.burnt == (0.03, 0.0, 0.0)
    assert found.crushed == (0.0, 0.0, 0.03)
    assert found.middle == pytest.approx(0.5)


def test_false_colours_change_at_their_stops() -> None:
    for i, stop in enumerate(FALSE_STOPS):
        for by, band in ((-0.01, i), (0.01, i + 1)):
            light = np.full((1, 1, 3), 0.18 * 2 ** (stop + by), np.float32)
            assert tuple(false_colours(light)[0, 0]) == FALSE_COLOURS[band]
    assert tuple(false_colours(np.full((1, 1, 3), 0.18, np.float32))[0, 0]) == (105, 105, 105)
    assert tuple(false_colours(np.zeros((1, 1, 3), np.float32))[0, 0]) == FALSE_COLOURS[0]
    named = dict((name, colour) for colour, name in false_colour_legend())
    for name, stops in (("below −6", -7.0), ("−0.5 to +0.5", 0.0), ("+1 to +2", 1.5), ("above +2.5", 3.0)):
        r, g, b = false_colours(np.full((1, 1, 3), 0.18 * 2**stops, np.float32))[0, 0]
        assert named[name] == f"rgb({r} {g} {b})"
    assert len(named) == len(FALSE_COLOURS)


def test_peaking_finds_sharp_edges_and_nothing_in_soft_ones() -> None:
    x = np.linspace(0, 1, 200, dtype=np.float32)
    soft = np.repeat(np.tile(x, (100, 1))[..., None], 3, 2)
    assert not peaking(soft).any()
    sharp = soft.copy()
    sharp[:, 100:] = 1.0
    assert set(np.nonzero(peaking(sharp))[1].tolist()) <= {99, 100}
    assert peaking(sharp).sum() >= 100


def test_differences_are_measured_and_signed() -> None:
    rng = np.random.default_rng(2)
    a = rng.random((64, 96, 3)).astype(np.float32)
    same = difference(a, a)
    assert (same.mean, same.p99, same.flip) == (0.0, 0.0, 0.0)
    assert same.ssim == pytest.approx(1.0)
    assert same.sentence == "The same picture."
    lifted = np.clip(a * 0.5 + 0.3, 0, 1)
    other = difference(lifted, lifted + 0.1)
    assert other.mean == pytest.approx(0.1, rel=1e-3)
    assert other.p99 == pytest.approx(0.1, rel=1e-3)
    assert 0 < other.flip < 1
    assert ssim(a, rng.random((64, 96, 3)).astype(np.float32)) < 0.1
    assert signed_difference(lifted, lifted + 0.1, 2.0).mean() == pytest.approx(0.7, rel=1e-3)
