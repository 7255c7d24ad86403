"""Generated geometry: lathed and extruded profiles, and from them the sweep and the disc."""

import numpy as np
from numpy.typing import NDArray

from ..scene import Disc, Sweep
from .mesh import Mesh
from .normals import with_smooth_normals

Profile = NDArray[np.float64]


def grid_mesh(points: NDArray[np.float64], uvs: NDArray[np.float64], crease_deg: float = 35.0) -> Mesh:
    """A mesh over a grid of points (rows, columns, 3); degenerate triangles are left out."""
    rows, columns = points.shape[:2]
    index = np.arange(rows * columns).reshape(rows, columns)
    a, b, c, d = index[:-1, :-1], index[:-1, 1:], index[1:, 1:], index[1:, :-1]
    triangles = np.stack([a, b, c, a, c, d], axis=-1).reshape(-1, 3)  # the halves of a quad side by side
    inner = np.tile(np.array([0b100, 0b001], np.uint8), len(triangles) // 2)
    flat = points.reshape(-1, 3)
    p, q, r = (flat[triangles[:, i]] for i in range(3))
    area = np.linalg.norm(np.cross(q - p, r - p), axis=1)
    triangles, inner = triangles[area > 1e-14], inner[area > 1e-14]
    normals, triangles, source = with_smooth_normals(flat, triangles, crease_deg)
    return Mesh(
        flat[source].astype(np.float32),
        normals,
        uvs.reshape(-1, 2)[source].astype(np.float32),
        triangles,
        np.zeros(len(triangles), np.int32),
        inner,
    )


def arc(cx: float, cy: float, radius: float, from_deg: float, to_deg: float, steps: int) -> Profile:
    """Points (steps + 1, 2) on a circular arc."""
    a = np.radians(np.linspace(from_deg, to_deg, steps + 1))
    return np.stack([cx + radius * np.cos(a), cy + radius * np.sin(a)], axis=1)


def lathe(profile: Profile, segments: int = 96, crease_deg: float = 35.0) -> Mesh:
    """Turn a profile (n, 2) of (radius, height), listed from the top down the outside, about the Y axis."""
    a = np.linspace(0, 2 * np.pi, segments + 1)
    r, y = profile[:, :1], np.broadcast_to(profile[:, 1:], (len(profile), segments + 1))
    sin_a, cos_a = np.sin(a), np.cos(a)
    sin_a[-1], cos_a[-1] = sin_a[0], cos_a[0]
    points = np.stack([r * sin_a, y, r * cos_a], axis=-1)
    length = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(profile, axis=0), axis=1))])
    v = np.broadcast_to((length / max(length[-1], 1e-12))[:, None], y.shape)
    u = np.broadcast_to(np.linspace(0, 1, segments + 1), y.shape)
    return grid_mesh(points[::-1], np.stack([u, v], axis=-1)[::-1], crease_deg)


def _sweep_profile(reach: float, height: float, fillet: float) -> Profile:
    """Floor, fillet and wall as (distance from the middle, height), from the middle outwards and up."""
    f = min(fillet, height * 0.999, reach * 0.999)
    curve = arc(reach - f, f, f, -90, 0, 48) if f > 0 else np.array([[reach, 0.0]])
    return np.vstack([curve, [[reach, height]]]) if height > f else curve


def build_sweep(sweep: Sweep, segments: int = 192) -> Mesh:
    """The sweep with its lit side up and inwards; the middle of the floor is the origin."""
    if sweep.form == "round":
        reach = min(sweep.width_m, sweep.depth_m) / 2
        floor = np.linspace(0, 1, 12)[:-1, None] * [[max(reach - sweep.fillet_m, reach * 1e-3), 0.0]]
        profile = np.vstack([floor, _sweep_profile(reach, sweep.height_m, sweep.fillet_m)])
        return lathe(profile, segments, 60)
    profile = _sweep_profile(sweep.depth_m / 2, sweep.height_m, sweep.fillet_m)
    profile = np.vstack([[[-sweep.depth_m / 2, 0.0]], profile])
    x = np.array([-sweep.width_m / 2, 0, sweep.width_m / 2])
    points = np.empty((len(profile), len(x), 3))
    points[..., 0], points[..., 1], points[..., 2] = x, profile[:, 1:], -profile[:, :1]
    # unrolled, in widths: from the upper edge of the wall down and over the floor to the front
    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(profile, axis=0), axis=1))])
    uv = np.empty((len(profile), len(x), 2))
    uv[..., 0], uv[..., 1] = x / sweep.width_m + 0.5, ((along[-1] - along) / sweep.width_m)[:, None]
    return grid_mesh(points, uv, 60)


def build_disc(disc: Disc, segments: int = 192) -> Mesh:
    """The disc, standing on the floor, its upper edge rounded."""
    edge = min(disc.edge_m, disc.height_m, disc.radius_m)
    flat = np.linspace(0, disc.radius_m - edge, 6)[:-1]
    top = np.stack([flat, np.full_like(flat, disc.height_m)], axis=1)
    rim = (
        arc(disc.radius_m - edge, disc.height_m - edge, edge, 90, 0, 8)
        if edge > 0
        else np.array([[disc.radius_m, disc.height_m]])
    )
    foot = [[disc.radius_m, 0.0]] if disc.height_m > edge else []
    return lathe(np.vstack([top, rim, *([foot] if foot else [])]), segments, 40)
