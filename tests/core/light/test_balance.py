"""Even light over a move, against a search of all strengths."""

from itertools import product

import numpy as np
import pytest

from cyclorama.core.light.balance import MOST_BURNT, Apart, balance_strengths, burnt, cost, even_gains, spread_stops


@pytest.mark.parametrize("seed", range(6))
def test_no_other_strengths_are_better(seed: int) -> None:
    """Every combination of three strengths in steps of a quarter of a stop is tried."""
    rng = np.random.default_rng(seed)
    shares, rest = rng.uniform(0.0, 0.4, (10, 3)), rng.uniform(0.0, 0.1, 10)
    target = float((shares.sum(axis=1) + rest).mean())
    found = cost(shares, rest, target, balance_strengths(shares, rest, target))
    steps = 2.0 ** np.arange(-3.0, 3.01, 0.25)
    best = min(cost(shares, rest, target, np.array(gains)) for gains in product(steps, repeat=3))
    assert found <= best + 1e-12
    assert found >= best - 0.05 * best - 1e-3  # and the search comes near


def test_two_lights_on_two_sides_become_one_brightness() -> None:
    turn = np.linspace(0, 2 * np.pi, 16, endpoint=False)
    side = 0.5 + 0.5 * np.cos(turn)
    frames = [Apart(np.array([[0.32 * s] * 5, [0.08 * (1 - s)] * 5]), np.zeros(5)) for s in side]
    gains = even_gains(frames)
    assert spread_stops(frames, np.ones(2)) == pytest.approx(1.0)
    assert spread_stops(frames, gains) < 0.2
    assert gains[0] < 1.0 < gains[1]
    means = [float((gains @ f.lights).mean()) for f in frames]
    assert np.mean(means) == pytest.approx(0.2, rel=0.08)  # as bright as before


def test_nothing_burns_out_that_need_not() -> None:
    hot = np.full(1000, 0.1)
    hot[:50] = 1.6  # a twentieth of the subject
    frames = [Apart(hot[None], np.zeros(1000)), Apart(0.5 * hot[None], np.zeros(1000))]
    gains = even_gains(frames)
    assert burnt(frames, np.ones(1)) == pytest.approx(0.05)
    assert burnt(frames, gains) <= MOST_BURNT
    assert gains[0] > 0.5  # no darker than it must be
    stuck = [Apart(np.zeros((1, 10)), np.full(10, 2.0))]
    assert even_gains(stuck)[0] >= 2.0**-3.01  # nothing helps: it ends all the same
    assert even_gains([Apart(np.zeros((0, 10)), np.ones(10))]).shape == (0,)
