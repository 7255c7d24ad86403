"""Owen-scrambled Sobol pairs: the right points, evenly spread, independent of each other."""

import numpy as np
import pytest
from scipy.stats import qmc

from cyclorama.core.kernel import kernel
from cyclorama.core.render.trace.sampler import U32, sample_pair, sobol_pair


@kernel
def _fill(out, seed, dimension):
    for i in range(out.shape[0]):
        out[i, 0], out[i, 1] = sample_pair(U32(seed), U32(i), U32(dimension))


@kernel
def _unscrambled(index):
    return sobol_pair(U32(index))


def points(count: int, seed: int, dimension: int) -> np.ndarray:
    out = np.zeros((count, 2))
    _fill(out, seed, dimension)
    return out


def test_unscrambled_points_are_sobol_points() -> None:
    ours = {tuple(int(x) / 2**32 for x in _unscrambled(i)) for i in range(256)}
    theirs = {tuple(p) for p in qmc.Sobol(2, scramble=False).random(256)}
    assert ours == theirs


@pytest.mark.parametrize("dimension", [0, 5, 33])
def test_every_elementary_interval_holds_one_point(dimension: int) -> None:
    """A scrambled (0, m, 2)-net: 256 points, one in each 2^-a × 2^-(8-a) box."""
    p = points(256, 99, dimension)
    for a in range(9):
        cells = {(int(x * 2**a), int(y * 2 ** (8 - a))) for x, y in p}
        assert len(cells) == 256


def test_pairs_and_pixels_are_uncorrelated() -> None:
    a, b, c = points(4096, 1, 0), points(4096, 1, 1), points(4096, 2, 0)
    for one, other in ((a, b), (a, c)):
        correlation = np.corrcoef(one.T, other.T)[:2, 2:]
        assert np.abs(correlation).max() < 0.06
    assert len(np.unique(a[:, 0])) == 4096
