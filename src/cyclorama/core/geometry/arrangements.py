"""Arrangements of copies: all that is known of each kind.

Read by poses of copies, commands, the Subject card and the browser.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..arrays import Points, Vec3
from ..kind_fields import KindField
from ..scene.copies import Arrangement, Copies

F64 = NDArray[np.float64]
Floats = NDArray[np.floating[Any]]


@dataclass(frozen=True, slots=True)
class Stands:
    """Where n copies stand, before they are turned as each lies."""

    places: F64
    """(n, 3)"""
    ups: F64
    """(n, 3) unit"""
    turns: F64
    """(n,) radians about that"""
    sizes: F64 | None = None
    """(n,) × of each; None: as the copies say"""


def about_vertical(angles: F64) -> F64:
    """Rotations (n, 3, 3) about the vertical."""
    found = np.zeros((len(angles), 3, 3))
    found[:, 0, 0] = found[:, 2, 2] = np.cos(angles)
    found[:, 0, 2] = np.sin(angles)
    found[:, 2, 0], found[:, 1, 1] = -found[:, 0, 2], 1.0
    return found


def _row(copies: Copies, foot: Vec3) -> Stands:
    k = np.arange(copies.count)
    return _in_plane(copies, foot, k - (copies.count - 1) / 2.0, np.where(k % 2, copies.stagger_m, 0.0), k)


def _in_plane(copies: Copies, foot: Vec3, across: Floats, back_m: Floats, number: NDArray[np.intp]) -> Stands:
    """Copies at multiples of the spacing to the right, and so far to the front."""
    way = about_vertical(np.radians([copies.direction_deg]))[0]
    offset = np.stack([across * copies.spacing_m, np.zeros(copies.count), back_m], axis=1)
    turns = np.radians(copies.direction_deg + copies.step_deg * number)
    return upright(foot + offset @ way.T, turns)


def upright(places: F64, turns: F64) -> Stands:
    """Upright copies at places (n, 3), turned by so much (n,) or (1,), radians."""
    return Stands(places, np.tile([0.0, 1.0, 0.0], (len(places), 1)), np.broadcast_to(turns, len(places)))


def _grid(copies: Copies, foot: Vec3) -> Stands:
    k = np.arange(copies.count)
    columns = min(copies.columns, copies.count)
    row, column = k // columns, k % columns
    rows = -(-copies.count // columns)
    shift = np.where(row % 2, copies.stagger_m / max(copies.spacing_m, 1e-9), 0.0)
    return _in_plane(copies, foot, column - (columns - 1) / 2 + shift, ((rows - 1) / 2 - row) * copies.rows_m, k)


def _circle(copies: Copies, foot: Vec3) -> Stands:
    k = np.arange(copies.count)
    angle = 2 * np.pi * k / copies.count + math.radians(copies.direction_deg)
    radius = copies.radius_m + np.where(k % 2, copies.stagger_m, 0.0)
    offset = np.stack([radius * np.sin(angle), np.zeros(copies.count), radius * np.cos(angle)], axis=1)
    return upright(foot + offset, angle + np.radians(copies.step_deg * k))


def _stack(copies: Copies, foot: Vec3) -> Stands:
    k = np.arange(copies.count)
    offset = np.stack([np.where(k % 2, copies.stagger_m, 0.0), k * copies.spacing_m, 0.0 * k], axis=1)
    return upright(foot + offset, np.radians(copies.direction_deg + copies.step_deg * k))


def along_path(path: tuple[Points, Points] | None) -> Stands:
    """Copies at places, facing along directions."""
    places, directions = path if path is not None else (np.zeros((0, 3)), np.zeros((0, 3)))
    return upright(places, np.arctan2(directions[:, 0], directions[:, 2]))


def _nowhere(copies: Copies, foot: Vec3) -> Stands:
    return upright(np.zeros((0, 3)), np.zeros(0))


@dataclass(frozen=True, slots=True)
class ArrangementKind:
    """A kind of arrangement."""

    arrangement: Arrangement
    title: str
    says: str
    """what it does, in a sentence"""
    fields: tuple[KindField, ...]
    in_order: Callable[[Copies, Vec3], Stands] = _nowhere
    """where copies around a place (3,) stand, if that follows from their numbers"""


_SPACING = KindField("spacing_m", "Spacing", "mm", 10, 1)
_COLUMNS = KindField("columns", "Columns", "", 1, 0)
_ROWS = KindField("rows_m", "Between rows", "mm", 10, 1)
_STAGGER = KindField("stagger_m", "Stagger", "mm", 10, 1)
_RADIUS = KindField("radius_m", "Radius", "mm", 10, 1)
_STEP = KindField("step_deg", "Turn each by", "°", 5, 1)
_DIRECTION = KindField("direction_deg", "Direction", "°", 5, 1)
_CLEAR = KindField("clear_m", "Clear of others", "mm", 1, 1)
_ALL = (
    ArrangementKind(
        "scatter", "Scattered", "Lie by chance on what the item stands on, clear of all else.",
        (_SPACING, _RADIUS, _CLEAR),
    ),
    ArrangementKind(
        "drops", "Drops", "Condense on what the item stands on, and merge where they touch.", (_RADIUS,),
    ),
    ArrangementKind("row", "Row", "Stand side by side.", (_SPACING, _STAGGER, _DIRECTION, _STEP), _row),
    ArrangementKind("grid", "Grid", "Stand in rows.", (_SPACING, _COLUMNS, _ROWS, _STAGGER, _DIRECTION), _grid),
    ArrangementKind("circle", "Circle", "Stand round a middle and face outwards.",
                    (_RADIUS, _STAGGER, _DIRECTION, _STEP), _circle),
    ArrangementKind("stack", "Stack", "Stand on top of each other.", (_SPACING, _STAGGER, _STEP), _stack),
    ArrangementKind("path", "Path", "Stand along a path and face along it.", (_SPACING,)),
)  # fmt: skip
ARRANGEMENTS: dict[Arrangement, ArrangementKind] = {kind.arrangement: kind for kind in _ALL}
