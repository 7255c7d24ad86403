"""Frames in which the set ends inside the picture, or the camera stands outside it."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..scene import Sweep
from .view import View

Rays = NDArray[np.float64]
WALL_ROOM = 1.4
"""A wall so many times as far off as the camera leaves room for lights, and is still lit by them."""


@dataclass(frozen=True, slots=True)
class SetEdges:
    """Frame numbers with something wrong."""

    ends: list[int]
    """the sweep ends in the picture: something else is seen beside or above it"""
    outside: list[int]
    """the camera stands behind the wall or under the floor"""
    fills: bool
    """the sweep fills the picture in every frame: no background is seen"""


def set_edges(view: View, sweep: Sweep) -> SetEdges:
    """Check the border and the inside of the picture in every frame against the sweep."""
    if not sweep.on:
        return SetEdges([], [], False)
    eyes, rays = view.poses.cameras[:, :3, 3], _rays(view)
    outside = _is_outside(sweep, eyes)
    ends = ~outside & ~covered_rays(sweep, eyes[:, None], rays).all(axis=1)
    return SetEdges(view.every(ends), view.every(outside), not (ends | outside).any())


def wall_m(sweep: Sweep) -> float:
    """Distance of the wall from the middle, m."""
    return (min(sweep.width_m, sweep.depth_m) if sweep.form == "round" else sweep.depth_m) / 2


def scale_to_enclose(view: View, sweep: Sweep) -> float:
    """Factor by which a sweep must grow for its wall to stand WALL_ROOM times as far off as the camera, in the frame in
    which that is farthest out; 1: the camera comes through or over no wall."""
    eyes = view.poses.cameras[:, :3, 3]
    reach = float((np.hypot(eyes[:, 0], eyes[:, 2]) if sweep.form == "round" else -eyes[:, 2]).max())
    return WALL_ROOM * reach / wall_m(sweep) if sweep.on and reach > wall_m(sweep) else 1.0


def _rays(view: View) -> Rays:
    """Directions (n, r, 3) in the studio along the border and the middle lines of the picture, in every frame."""
    s = np.linspace(-1, 1, 17)
    one = np.ones(17)
    x = np.concatenate([s, s, one, -one, s[::4], np.zeros(5)])
    y = np.concatenate([one, -one, s, s, np.zeros(5), s[::4]])
    across, up = view.lens.rays(x * view.lens.half_w, y * view.lens.half_h)
    local = np.stack(np.broadcast_arrays(np.atleast_2d(across), np.atleast_2d(up), -1.0), axis=2)
    return np.asarray(local @ view.poses.cameras[:, :3, :3].transpose(0, 2, 1))


def _is_outside(sweep: Sweep, o: Rays) -> NDArray[np.bool_]:
    """Which of some places (n, 3) are under the floor or behind the wall."""
    if sweep.form == "round":
        behind = np.hypot(o[:, 0], o[:, 2]) > wall_m(sweep)
        return np.asarray((o[:, 1] < 0) | (behind & (o[:, 1] < sweep.height_m)))
    return np.asarray((o[:, 1] < 0) | (o[:, 2] < -wall_m(sweep)))


def covered_rays(sweep: Sweep, o: Rays, d: Rays) -> NDArray[np.bool_]:
    """Which rays (n, r, 3) from (n, 1, 3) meet the sweep. Floor, fillet and wall bound a convex room, so only its
    openings count."""
    with np.errstate(divide="ignore", invalid="ignore"):
        to_floor = np.where(d[..., 1] < 0, -o[..., 1] / d[..., 1], np.inf)
        floor = o + d * np.where(np.isfinite(to_floor), to_floor, 0)[..., None]
        if sweep.form == "round":
            r = wall_m(sweep)
            a = d[..., 0] ** 2 + d[..., 2] ** 2
            b = o[..., 0] * d[..., 0] + o[..., 2] * d[..., 2]
            c = o[..., 0] ** 2 + o[..., 2] ** 2 - r * r
            t = np.where(a > 0, (-b + np.sqrt(np.maximum(b * b - a * c, 0))) / a, np.inf)
            wall = (o[..., 1] + d[..., 1] * t <= sweep.height_m) & np.isfinite(t) & (b * b >= a * c)
            on_floor = np.isfinite(to_floor) & (np.hypot(floor[..., 0], floor[..., 2]) <= r)
            return np.asarray(wall | on_floor)
        w, h = sweep.width_m / 2, wall_m(sweep)
        t = np.where(d[..., 2] < 0, (-h - o[..., 2]) / d[..., 2], np.inf)
        at = o + d * np.where(np.isfinite(t), t, 0)[..., None]
        wall = np.isfinite(t) & (np.abs(at[..., 0]) <= w) & (at[..., 1] <= sweep.height_m) & (at[..., 1] >= 0)
        on_floor = np.isfinite(to_floor) & (np.abs(floor[..., 0]) <= w) & (np.abs(floor[..., 2]) <= h)
        return np.asarray(wall | on_floor)
