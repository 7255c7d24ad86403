"""Frame arithmetic: rates are rationals, loops close exactly."""

from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from ..scene import Project, Shot

MOST_LOOKED_AT = 1000
"""Frames of a long move that are measured and drawn: what lies between goes by its neighbours."""


@dataclass(frozen=True, slots=True)
class FrameRate:
    """Frames per second as a rational, e.g. 24/1 or 30000/1001."""

    num: int
    den: int = 1

    @classmethod
    def of(cls, project: Project) -> "FrameRate":
        return cls(project.rate_num, project.rate_den)

    @property
    def fraction(self) -> Fraction:
        return Fraction(self.num, self.den)

    def seconds(self, frames: int) -> Fraction:
        """Exact length of a number of frames."""
        return frames / self.fraction

    def __str__(self) -> str:
        return f"{self.num}" if self.den == 1 else f"{float(self.fraction):.3f}".rstrip("0").rstrip(".")


def sampled_frames(shot: Shot) -> NDArray[np.float64]:
    """The frames (n,) of a shot that are looked at, counted from its first: all, or of a long one some, evenly."""
    step = -(-shot.frames // MOST_LOOKED_AT)
    return np.arange(0, shot.frames, step, dtype=float)
