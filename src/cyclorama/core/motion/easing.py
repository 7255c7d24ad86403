"""Easing of segments in and out."""

from typing import Any

import numpy as np


def ease(u: Any, ease_in: float, ease_out: float) -> Any:
    """Share of the way that is done after a share `u` (n,) of the time, both within 0…1.

    Speed grows evenly over `ease_in`, stays, and falls evenly over `ease_out`: a trapezium whose area is 1. Without
    easing u itself, to the last bit.
    """
    if ease_in <= 0.0 and ease_out <= 0.0:
        return u
    u = np.clip(u, 0.0, 1.0)
    top = 1.0 / (1.0 - 0.5 * (ease_in + ease_out))
    done = top * (u - 0.5 * ease_in)
    if ease_in > 0.0:
        done = np.where(u < ease_in, 0.5 * top * np.minimum(u, ease_in) ** 2 / ease_in, done)
    if ease_out > 0.0:
        left = 1.0 - u
        done = np.where(left < ease_out, 1.0 - 0.5 * top * np.minimum(left, ease_out) ** 2 / ease_out, done)
    return done
