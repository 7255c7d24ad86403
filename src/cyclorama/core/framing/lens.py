"""Lens: the one projection between directions and the picture.

A direction is given by its tangents (x, y): the ray (x, y, −1) in the camera's space. The picture plane is measured in
the same unit, ±half extents at its edges, so without distortion the two are the same. A place at distance r from the
middle of the lens sees the direction r / (1 + k r²), k being the distortion at the corner over the corner's r²
(division model: Fitzgibbon, "Simultaneous linear estimation of multiple view geometry and lens distortion", CVPR
2001); the other way is the smaller root of k ρ r² − r + ρ = 0. A lens that is shifted has its middle elsewhere than
the picture; places are counted from the picture's.
"""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..kernel import device
from ..scene import Camera, Project
from ..scene.writing import derive


def half_extent(camera: Camera, width: int, height: int) -> tuple[float, float]:
    """Half width and half height of the picture plane for a frame of width × height pixels: without distortion the
    tangents of half the field of view."""
    scale = camera.sensor_mm / (2.0 * camera.focal_mm * max(width, height))
    return scale * width, scale * height


Extent = float | NDArray[np.float64]


@device
def ray_factor(k: Any, r2: Any) -> Any:
    """By what a place of the picture is to be multiplied to be the direction that it sees; r2: its r², k as above."""
    return 1.0 / (1.0 + k * r2)


@device
def picture_factor(k: Any, rho2: Any) -> Any:
    """By what a direction is to be multiplied to be its place in the picture; rho2: the square of its tangent.

    Directions that no place sees (beyond the widest of a pincushion) lie outside the picture.
    """
    root2 = 1.0 - 4.0 * k * rho2
    root2 = 0.5 * (root2 + abs(root2))
    return 2.0 / (1.0 + root2**0.5)


@dataclass(frozen=True, slots=True)
class Projection:
    """The projection of one camera for one shape of frame, for arrays; of one that zooms, (n, 1) for n times."""

    half_w: Extent
    half_h: Extent
    k: Extent
    """distortion at the corner over the corner's r²; 0: none"""
    shift: tuple[float, float] = (0.0, 0.0)
    """shares of width and height by which the lens is moved to the right and up"""

    @classmethod
    def of(cls, camera: Camera, width: int, height: int) -> "Projection":
        w, h = half_extent(camera, width, height)
        return cls(w, h, camera.distortion / (w * w + h * h), (camera.shift_x, camera.shift_y))

    @classmethod
    def of_project(cls, project: Project) -> "Projection":
        """Of the camera of the open shot, at its size."""
        shoot = project.shot.shoot
        return cls.of(project.camera, shoot.width, shoot.height)

    @classmethod
    def over(cls, camera: Camera, focal_mm: NDArray[np.float64], width: int, height: int) -> "Projection":
        """Of a camera at times at which its focal length is (n,); one for all of them where that stays."""
        if (focal_mm == focal_mm[:1]).all():
            return cls.of(derive(camera, focal_mm=float(focal_mm[0])), width, height)
        scale = (camera.sensor_mm / (2.0 * focal_mm * max(width, height)))[:, None]
        w, h = scale * width, scale * height
        return cls(w, h, camera.distortion / (w * w + h * h), (camera.shift_x, camera.shift_y))

    def some(self, which: Any) -> "Projection":
        """At some of its times."""
        if np.ndim(self.half_w) == 0:
            return self
        w, h, k = (np.asarray(x)[which] for x in (self.half_w, self.half_h, self.k))
        return Projection(w, h, k, self.shift)

    @property
    def middle(self) -> tuple[Extent, Extent]:
        """Where the middle of the picture lies, seen from that of the lens."""
        return 2.0 * self.half_w * self.shift[0], 2.0 * self.half_h * self.shift[1]

    def rays(self, x: NDArray[np.float64], y: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Tangents of the directions that places of the picture plane see."""
        if any(self.shift):
            across, up = self.middle
            x, y = x + across, y + up
        if not np.any(self.k):
            return x, y
        factor = ray_factor.py_func(self.k, x * x + y * y)  # type: ignore[attr-defined]
        return x * factor, y * factor

    def places(self, x: NDArray[np.float64], y: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Places on the picture plane of directions with these tangents."""
        if np.any(self.k):
            factor = picture_factor.py_func(self.k, x * x + y * y)  # type: ignore[attr-defined]
            x, y = x * factor, y * factor
        if any(self.shift):
            across, up = self.middle
            x, y = x - across, y - up
        return x, y

    @property
    def field(self) -> tuple[float, float, float, float]:
        """Tangents of what is seen through the middle of the left, right, lower and upper edge."""
        x, y = self.rays(np.array([-1.0, 1.0, 0.0, 0.0]) * self.half_w, np.array([0.0, 0.0, -1.0, 1.0]) * self.half_h)
        return float(x[0]), float(x[1]), float(y[2]), float(y[3])

    @property
    def widest(self) -> float:
        """Factor by which an undistorted picture must be wider to hold all that this lens sees."""
        x, y = self.rays(np.array([-1.0, 1.0, -1.0, 1.0]) * self.half_w, np.array([-1.0, -1.0, 1.0, 1.0]) * self.half_h)
        return float(max(np.abs(x / self.half_w).max(), np.abs(y / self.half_h).max(), 1.0))
