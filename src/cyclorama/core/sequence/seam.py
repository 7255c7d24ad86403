"""Does the loop close? The step from the last picture to the first against the steps in between."""

from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..errors import ShootError

CHECK_WIDTH = 320


@dataclass(frozen=True, slots=True)
class SeamCheck:
    """Mean absolute differences of neighbouring pictures, display values 0…1."""

    steps: tuple[float, ...]
    """step i leads from picture i to picture i + 1"""
    seam: float
    """from the last picture to the first"""

    @property
    def median(self) -> float:
        return float(np.median(self.steps)) if self.steps else 0.0

    @property
    def ratio(self) -> float:
        """Seam over median step: about 1 closes, about 0 is a doubled frame, much more jumps."""
        return self.seam / self.median if self.median > 0 else float("inf") if self.seam > 0 else 1.0

    @property
    def sentence(self) -> str:
        if len(self.steps) < 2:
            return "Too few frames to check the seam."
        if self.median < 1e-5:
            return "Nothing moves in this take." if self.seam < 1e-4 else "Only the seam moves: the loop jumps."
        text = f"The seam step is {self.ratio:.2f} of the usual step"
        if self.ratio < 0.35:
            return f"{text}: last and first frame are nearly the same picture, the loop will hesitate."
        if self.ratio > 2.0:
            return f"{text}: the loop jumps."
        return f"{text}: the loop closes."


def display_picture(path: Path, width: int = CHECK_WIDTH) -> NDArray[np.float32]:
    """A PNG or JPEG frame, made smaller, as display values (h, w, 3); raises ShootError when unreadable."""
    try:
        with Image.open(path) as image:
            height = max(1, round(image.height * width / image.width))
            small = image.convert("RGB").resize((width, height), Image.Resampling.BOX)
            return np.asarray(small, np.float32) / 255.0
    except OSError as error:
        raise ShootError(f"The frame ‘{path.name}’ cannot be read.") from error


def check_seam(pictures: list[NDArray[np.float32]]) -> SeamCheck:
    """Compare neighbours of a sequence in order, each (h, w, 3)."""

    def step(a: NDArray[np.float32], b: NDArray[np.float32]) -> float:
        return float(np.abs(a - b).mean())

    if len(pictures) < 2:
        return SeamCheck((), 0.0)
    steps = tuple(step(a, b) for a, b in pairwise(pictures))
    return SeamCheck(steps, step(pictures[-1], pictures[0]))
