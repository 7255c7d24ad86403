"""Drawing from a cumulative table with a guide, against a plain search."""

import numpy as np
import pytest

from cyclorama.core.cumulative import draw, guide_to
from cyclorama.core.kernel import kernel


@kernel
def _draw_all(cumulative, guide, numbers, out):  # type: ignore[no-untyped-def]
    for i in range(numbers.shape[0]):
        out[i] = draw(cumulative, guide, numbers[i])


@pytest.mark.parametrize("kind", [np.uint16, np.int32])
@pytest.mark.parametrize("count", [1, 2, 7, 300])
@pytest.mark.parametrize("like", ["even", "one takes nearly all", "many take nothing"])
def test_draws_what_a_search_finds(kind: type, count: int, like: str) -> None:
    rng = np.random.default_rng(count)
    share = rng.random(count)
    if like == "one takes nearly all":
        share[count // 2] = 1e6
    elif like == "many take nothing":
        share[rng.random(count) < 0.7] = 0.0
        share[count // 2] = 1.0
    cumulative = np.concatenate([[0.0], np.cumsum(share) / share.sum()]).astype(np.float32)
    numbers = np.concatenate([rng.random(20_000), [0.0, 1.0 - 1e-9], cumulative[:-1]])
    numbers = np.minimum(numbers, np.nextafter(float(cumulative[-1]), 0.0))
    drawn = np.empty(len(numbers), np.int64)
    _draw_all(cumulative, guide_to(cumulative, kind), numbers, drawn)
    assert np.array_equal(drawn, np.searchsorted(cumulative, numbers, side="right") - 1)
    assert (np.diff(cumulative)[drawn] > 0).all()
