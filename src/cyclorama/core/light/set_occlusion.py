"""Occlusion of the environment by the set itself, and sampling tables that know it.

A wall sees nothing of what shines from below the floor, and a floor nothing from behind the wall. Light that is aimed
there is lost, and its loss is grain on most of a studio picture. What surfaces that face about the same way see past
the set is looked up from a few points of it, and large cells of the environment that are hidden from these are aimed at
less often; never not at all, as items that face so may see them. (Visibility in the density of light sampling as in
Clarberg and Akenine-Möller, "Practical Product Importance Sampling for Direct Illumination", Computer Graphics Forum
27(2), 2008, here by facing instead of by point.)
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .direction_bins import ANY_WAY, bin_directions
from .environment import COLUMNS, ROWS, EnvironmentMap, cumulative, directions

NEAR = 0.966
"""Cosine of the angle up to which a point of the set faces like others."""
STILL_AIMED = 0.1
"""Share of what a cell would have that it keeps where the set hides it from all of them."""


@dataclass(frozen=True, slots=True)
class Views:
    """Views of the sky past the set, from some points of it."""

    normals: NDArray[np.float64]
    """(k, 3) how they face, in the studio"""
    seen: NDArray[np.bool_]
    """(k, ANY_WAY) whether nothing is in the way from each of them towards each of `bin_directions`"""


def with_set_occlusion(env: EnvironmentMap, turn: NDArray[np.float32], views: Views) -> EnvironmentMap:
    """The environment with tables that know what the set hides. turn: environment → studio (3, 3)."""
    ways = bin_directions()
    turned = turn.astype(np.float64)
    alike = _cosines(_turned(ways, turned), views.normals) > NEAR
    count = alike.sum(axis=1)
    # sums of whole numbers: the same on every machine
    seen = alike.astype(np.float64) @ views.seen.astype(np.float64)
    share = np.where(count[:, None] > 0, seen / np.maximum(count, 1)[:, None], 1.0)
    cells = _by_cell(share, turned)
    bands = np.diff(env.rows[:ANY_WAY].astype(np.float64))
    large = bands[..., None] * np.diff(env.columns[:ANY_WAY].astype(np.float64))
    left = large * (STILL_AIMED + (1.0 - STILL_AIMED) * cells)
    rows, columns, strength = env.rows.copy(), env.columns.copy(), env.strength.copy()
    rows[:ANY_WAY], columns[:ANY_WAY] = cumulative(left.sum(axis=2)), cumulative(left)
    strength[:ANY_WAY] *= (left.sum(axis=(1, 2)) / np.maximum(large.sum(axis=(1, 2)), 1e-30)).astype(np.float32)
    return env._replace(rows=rows, columns=columns, strength=strength)


def _by_cell(share: NDArray[np.float64], turn: NDArray[np.float64]) -> NDArray[np.float64]:
    """Of shares (f, ANY_WAY) by direction in the studio, those of the large cells (f, ROWS, COLUMNS)."""
    quarters = _turned(directions(2 * ROWS, 2 * COLUMNS).reshape(-1, 3), turn)
    nearest = _cosines(quarters, bin_directions()).argmax(axis=1)
    return np.asarray(share[:, nearest].reshape(-1, ROWS, 2, COLUMNS, 2).mean(axis=(2, 4)))


def _turned(d: NDArray[np.float64], m: NDArray[np.float64]) -> NDArray[np.float64]:
    return d[:, 0, None] * m[:, 0] + d[:, 1, None] * m[:, 1] + d[:, 2, None] * m[:, 2]


def _cosines(a: NDArray[np.float64], b: NDArray[np.float64]) -> NDArray[np.float64]:
    """Of every direction (n, 3) with every other (m, 3): (n, m), term by term, so to the same bits everywhere."""
    return a[:, 0, None] * b[:, 0] + a[:, 1, None] * b[:, 1] + a[:, 2, None] * b[:, 2]
