"""Frame arithmetic: rates are rationals, loops close exactly."""

from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True, slots=True)
class FrameRate:
    """Frames per second as a rational, e.g. 24/1 or 30000/1001."""

    num: int
    den: int = 1

    @property
    def fraction(self) -> Fraction:
        return Fraction(self.num, self.den)

    def seconds(self, frames: int) -> Fraction:
        """Exact length of a number of frames."""
        return frames / self.fraction

    def __str__(self) -> str:
        return f"{self.num}" if self.den == 1 else f"{float(self.fraction):.3f}".rstrip("0").rstrip(".")


def frame_angles_deg(frames: int, start_deg: float = 0.0, sign: int = 1) -> NDArray[np.float64]:
    """Angles of the frames of one full turn: frame i of N at start + sign·i·360/N.

    The product i·360 is formed before the division, so that angles that are whole degrees are exact.
    """
    return np.asarray(start_deg + sign * (np.arange(frames) * 360.0) / frames)
