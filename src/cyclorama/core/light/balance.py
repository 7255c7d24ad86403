"""Strengths of lights that keep a subject evenly lit over a move.

Light adds up, so a frame's mean on the subject is Σ gᵢ·aᵢ + e with a gain g for each light. The gains that bring all
frames nearest to one brightness, without leaving what was set more than needed, are a linear least-squares problem with
bounds (Stark and Parker, "Bounded-Variable Least-Squares", Computational Statistics 10, 1995).
"""

from typing import NamedTuple

import numpy as np
import scipy
from numpy.typing import NDArray

F64 = NDArray[np.float64]
STAY = 0.02
"""What leaving a strength as it was counts against evenness."""
MOST_STOPS = 3.0
"""A light is changed by no more."""
MOST_BURNT = 0.005
"""Share of the subject that may be brighter than the sensor can tell, in any frame."""
DOWN = 2.0**-0.1


class Apart(NamedTuple):
    """The light on the subject in one frame, 1 saturates the sensor."""

    lights: F64
    """(n, p) of each light at each place of the subject"""
    rest: F64
    """(p,) of everything else"""


def even_gains(frames: list[Apart]) -> F64:
    """Gains (n,) of the lights that make the subject as even over some frames as they can, at the brightness that it
    has in their mean, and burn out no more than MOST_BURNT of it in any of them if that is in their power."""
    shares = np.array([one.lights.mean(axis=1) for one in frames])
    rest = np.array([one.rest.mean() for one in frames])
    target = float((shares.sum(axis=1) + rest).mean())
    gains = balance_strengths(shares, rest, target)
    least = 2.0**-MOST_STOPS
    while burnt(frames, gains) > MOST_BURNT and (gains > least).any():
        gains = np.maximum(gains * DOWN, least)
    return gains


def balance_strengths(shares: F64, rest: F64, target: float) -> F64:
    """Gains (n,) for means (f, n) of each light and (f,) of everything else; see `cost`."""
    n = shares.shape[1]
    if not n or target <= 0.0:
        return np.ones(n)
    stay = np.sqrt(STAY * len(shares)) * np.eye(n)
    a = np.concatenate([shares / target, stay])
    b = np.concatenate([1.0 - rest / target, stay @ np.ones(n)])
    found = scipy.optimize.lsq_linear(a, b, (2.0**-MOST_STOPS, 2.0**MOST_STOPS), method="bvls")
    return np.asarray(found.x, np.float64)


def cost(shares: F64, rest: F64, target: float, gains: F64) -> float:
    """Cost to minimise: distance of frames from the target, and of strengths from their present values."""
    off = (shares @ gains + rest) / target - 1.0
    return float(np.sum(off**2) + STAY * len(shares) * np.sum((gains - 1.0) ** 2))


def spread_stops(frames: list[Apart], gains: F64) -> float:
    """Half the way between the darkest and the brightest frame, stops."""
    means = np.array([(gains @ one.lights + one.rest).mean() for one in frames])
    return float(np.log2(max(means.max(), 1e-12) / max(means.min(), 1e-12)) / 2.0)


def burnt(frames: list[Apart], gains: F64) -> float:
    """The largest share of the subject in any frame that saturates the sensor."""
    return max((float(np.mean(gains @ one.lights + one.rest >= 1.0)) for one in frames), default=0.0)
