"""Two pictures of the same frame: what differs, and how much."""

from dataclasses import dataclass

import flip_evaluator
import numpy as np
import scipy
from numpy.typing import NDArray

from ..arrays import RGBImage
from ..colour import LUMA32

SSIM_SIGMA = 1.5
MOST_PX = 1920
"""Wider pictures are compared at this width."""


@dataclass(frozen=True, slots=True)
class Difference:
    """Figures of the difference of two pictures, display values 0…1."""

    mean: float
    """of the absolute difference"""
    p99: float
    """which one pixel in a hundred exceeds"""
    ssim: float
    flip: float

    @property
    def sentence(self) -> str:
        if self.p99 == 0.0 and self.mean == 0.0:
            return "The same picture."
        seen = "hardly seen" if self.flip < 0.02 else "seen on a second look" if self.flip < 0.06 else "plainly seen"
        return f"Differs by {100 * self.mean:.2f} % in the mean, {seen}."


def difference(a: RGBImage, b: RGBImage) -> Difference:
    """Compare display values (h, w, 3) of equal size.

    SSIM: Wang et al., "Image quality assessment", IEEE Trans. Image Process. 13, 2004, on luma with a Gaussian window
    of 1.5 px. FLIP: Andersson et al., 2020, for a display of 0.7 m seen from 0.7 m.
    """
    apart = np.abs(a - b)
    each = (np.ascontiguousarray(x, np.float32) for x in (a, b))
    _, flip, _ = flip_evaluator.evaluate(*each, "LDR", inputsRGB=True, applyMagma=False)
    return Difference(float(apart.mean()), float(np.quantile(apart.max(axis=2), 0.99)), ssim(a, b), float(flip))


def ssim(a: RGBImage, b: RGBImage) -> float:
    """Mean structural similarity of luma, 1 for equal pictures."""
    x, y = (np.asarray(p @ LUMA32, np.float64) for p in (a, b))

    def smooth(values: NDArray[np.float64]) -> NDArray[np.float64]:
        return np.asarray(scipy.ndimage.gaussian_filter(values, SSIM_SIGMA, truncate=3.5))

    mx, my = smooth(x), smooth(y)
    vx, vy, cov = smooth(x * x) - mx * mx, smooth(y * y) - my * my, smooth(x * y) - mx * my
    c1, c2 = 0.01**2, 0.03**2
    return float((((2 * mx * my + c1) * (2 * cov + c2)) / ((mx**2 + my**2 + c1) * (vx + vy + c2))).mean())


def signed_difference(a: RGBImage, b: RGBImage, gain: float) -> RGBImage:
    """b − a about a grey of 0.5, times `gain`: grey where nothing differs, brighter where the second is."""
    return np.clip(0.5 + np.float32(gain) * (b - a), 0, 1)
