"""Clouds of points as parts of balls."""

import numpy as np
import scipy
from numpy.typing import NDArray

from ...words import count
from ..strands import MOST_BALLS, build_balls
from .model import FileModel, ModelPart

F64 = NDArray[np.float64]
SAMPLED = 20_000
"""Points whose neighbours are looked for."""


def point_part(title: str, points: F64, radii: F64, colours: F64 | None, model: FileModel) -> ModelPart:
    """A part of balls round points, with linear colours (n, 3); of too many, some that are larger."""
    most = MOST_BALLS[-1][0]
    step = -(-len(points) // most)
    if step > 1:
        model.notes.append(
            f"Of the {count(len(points), 'point')} of ‘{title}’, one in {step} stands, as a larger ball."
        )
    vertices, normals, triangles, point = build_balls(points[::step], radii[::step] * step ** (1 / 3))
    part = ModelPart(title, vertices, triangles, normals=normals)
    if colours is not None:
        own = colours[::step][point]
        part.colours = np.column_stack([own, np.ones(len(own))]).astype(np.float32).clip(0, 1)
    return part


def touching_radius(points: F64) -> float:
    """Radius with which balls round points (n, 3) just touch, on the average."""
    if len(points) < 2:
        return 0.5
    nearest = scipy.spatial.cKDTree(points).query(points[:: -(-len(points) // SAMPLED)], 2)[0][:, 1]
    return float(np.median(nearest)) / 2
