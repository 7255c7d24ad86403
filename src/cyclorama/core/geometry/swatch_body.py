"""The body on which swatches of materials are shown: a tongue that lies flat, curls up and becomes thin.

It has a level face, a curve in one direction, sharp edges, and a thickness that goes from WIDE_M to THIN_M, so that
gloss, grain, edges and what shines through are seen at one glance. One closed body, standing on the floor.
"""

from dataclasses import replace

import numpy as np

from .build import grid_mesh, lathe
from .mesh import Mesh, join

WIDE_M, THIN_M = 0.014, 0.0016
FLAT_M, RADIUS_M, CURL_DEG, DEPTH_M = 0.058, 0.026, 215.0, 0.07
STEPS, ROUND, ACROSS = 96, 10, 8
START_M = -0.04


def build_swatch_body() -> Mesh:
    """The mesh (m), one part; texture coordinates grow by 1 in 0.1 m along the tongue and across it."""
    outer, inner, tip, start = _profile()
    ring = np.concatenate([outer, tip, inner[::-1], start, outer[:1]])
    mesh = join([_sides(ring), *_caps(outer, inner, tip, start)])
    return replace(mesh, part=np.zeros_like(mesh.part))


def build_tumbler() -> Mesh:
    """A drinking glass (m), standing on its base."""
    outside = [(0.0, 0.0), (0.0225, 0.0), (0.024, 0.0015), (0.027, 0.063)]
    rim, inside = [(0.0266, 0.0635), (0.026, 0.063)], [(0.0228, 0.007), (0.02, 0.0055), (0.0, 0.005)]
    return lathe(np.array([*outside, *rim, *inside][::-1]), 96)


def _profile() -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Lower and upper side (n, 2) from the start to the tip, and the round ends between them: x and y."""
    curl = np.radians(CURL_DEG)
    length = FLAT_M + RADIUS_M * curl
    s = np.concatenate([np.linspace(0, FLAT_M, STEPS // 3, endpoint=False), np.linspace(FLAT_M, length, STEPS)])
    angle = np.maximum(s - FLAT_M, 0.0) / RADIUS_M
    x = START_M + np.minimum(s, FLAT_M) + RADIUS_M * np.sin(angle)
    y = WIDE_M / 2 + RADIUS_M * (1.0 - np.cos(angle))
    thick = WIDE_M + (THIN_M - WIDE_M) * np.clip((s - FLAT_M) / (length - FLAT_M), 0.0, 1.0)
    up = np.stack([-np.sin(angle), np.cos(angle)], axis=1)
    middle = np.stack([x, y], axis=1)
    lower, upper = middle - up * thick[:, None] / 2, middle + up * thick[:, None] / 2

    def end(i: int, forward: float) -> np.ndarray:
        along = forward * np.array([np.cos(angle[i]), np.sin(angle[i])])
        a = np.linspace(-np.pi / 2, np.pi / 2, ROUND + 2)[1:-1, None] * forward
        return np.asarray(middle[i] + thick[i] / 2 * (np.cos(a) * along + np.sin(a) * up[i]))

    return lower, upper, end(-1, 1.0), end(0, -1.0)


def _sides(ring: np.ndarray) -> Mesh:
    """All round the profile (n, 2), across the depth."""
    across = np.linspace(-DEPTH_M / 2, DEPTH_M / 2, ACROSS + 1)
    way = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(ring, axis=0), axis=1))])
    points = np.empty((len(across), len(ring), 3))
    points[..., 0], points[..., 1], points[..., 2] = ring[:, 0], ring[:, 1], across[:, None]
    uvs = np.stack(np.broadcast_arrays(way[None] / 0.1, across[:, None] / 0.1), axis=-1)
    return grid_mesh(points, uvs, 40.0)


def _caps(outer: np.ndarray, inner: np.ndarray, tip: np.ndarray, start: np.ndarray) -> list[Mesh]:
    """The two faces beside it: strips between its lower and its upper side, round ends and all."""
    half = ROUND // 2
    lower = np.concatenate([start[half:][::1], outer, tip[:half]])
    upper = np.concatenate([start[:half][::-1], inner, tip[half:][::-1]])
    found = []
    for z, (a, b) in ((DEPTH_M / 2, (lower, upper)), (-DEPTH_M / 2, (upper, lower))):
        grid = np.stack([a, b])
        points = np.dstack([grid, np.full(grid.shape[:2], z)])
        found.append(grid_mesh(points, grid / 0.1, 40.0))
    return found
