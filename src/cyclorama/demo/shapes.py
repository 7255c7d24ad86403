"""Shapes the models are made of, beyond lathed profiles."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from ..core.geometry.build import arc, grid_mesh, lathe
from ..core.geometry.mesh import Mesh, join

Path3 = NDArray[np.float64]


def rounded_profile(points: list[tuple[float, float]], radius: float, steps: int = 5) -> NDArray[np.float64]:
    """A profile (n, 2) with every inner corner rounded by up to `radius`."""
    p = np.array(points, float)
    out = [p[:1]]
    for a, b, c in zip(p[:-2], p[1:-1], p[2:], strict=True):
        u, v = a - b, c - b
        lu, lv = np.linalg.norm(u), np.linalg.norm(v)
        u, v = u / lu, v / lv
        half = np.arccos(np.clip(u @ v, -1, 1)) / 2
        cut = min(radius / max(np.tan(half), 1e-6), 0.45 * lu, 0.45 * lv)
        t = np.linspace(0, 1, steps + 1)[:, None]
        start, end = b + u * cut, b + v * cut
        out.append((1 - t) ** 2 * start + 2 * t * (1 - t) * b + t**2 * end)
    out.append(p[-1:])
    return np.vstack(out)


def revolve(points: list[tuple[float, float]], rounding: float = 0.0008, segments: int = 128) -> Mesh:
    """A turned body with softened edges; profile from the top down the outside."""
    return lathe(rounded_profile(points, rounding), segments, 30)


def tube(path: Path3, radius: float | NDArray[np.float64], sides: int = 20, closed: bool = False) -> Mesh:
    """A round bar along a path (n, 3); `radius` may vary along it; ends are closed by cones when not `closed`."""
    p = np.asarray(path, float)
    n = len(p)
    tangent = np.roll(p, -1, 0) - np.roll(p, 1, 0) if closed else np.gradient(p, axis=0)
    tangent /= np.linalg.norm(tangent, axis=1, keepdims=True)
    side = np.cross(tangent[0], [0.0, 1.0, 0.0])
    if np.linalg.norm(side) < 1e-3:
        side = np.cross(tangent[0], [1.0, 0.0, 0.0])
    frames = []
    for t in tangent:
        side = side - t * (side @ t)  # parallel transport, so that the tube does not twist
        side /= np.linalg.norm(side)
        frames.append((side, np.cross(t, side)))
    u, v = (np.array(f)[:, None, :] for f in zip(*frames, strict=True))
    a = np.linspace(0, 2 * np.pi, sides + 1)
    r = np.broadcast_to(np.asarray(radius, float).reshape(-1, 1, 1), (n, 1, 1))
    ring = p[:, None, :] + r * (np.cos(a)[None, :, None] * u + np.sin(a)[None, :, None] * v)
    if closed:
        ring = np.concatenate([ring, ring[:1]])
    else:
        caps = [np.repeat(x[None, None], sides + 1, 1) for x in (p[0], p[-1])]
        ring = np.concatenate([caps[0], ring, caps[1]])
    rows = len(ring)
    uv = np.stack(np.broadcast_arrays(np.linspace(0, 1, sides + 1)[None], np.linspace(0, 1, rows)[:, None]), -1)
    return grid_mesh(ring[:, ::-1], uv, 50)


def ball(centre: tuple[float, float, float], radius: float, squash: float = 1.0, segments: int = 48) -> Mesh:
    """A sphere, flattened along Y by `squash`."""
    profile = arc(0, 0, radius, 90, -90, segments // 2) * [1.0, squash]
    profile[[0, -1], 0] = 0.0
    return move_mesh(lathe(profile, segments, 60), centre)


def move_mesh(mesh: Mesh, by: tuple[float, float, float], turn_deg: float = 0.0) -> Mesh:
    """A mesh turned about Y, then shifted."""
    a = np.radians(turn_deg)
    m = np.eye(4)
    m[0, 0], m[0, 2], m[2, 0], m[2, 2] = np.cos(a), np.sin(a), -np.sin(a), np.cos(a)
    m[:3, 3] = by
    return mesh.transformed(m)


def around(mesh: Mesh, count: int, start_deg: float = 0.0) -> Mesh:
    """Copies of a mesh evenly around the Y axis, as one part."""
    return as_one([move_mesh(mesh, (0, 0, 0), start_deg + 360 * i / count) for i in range(count)])


def as_one(meshes: list[Mesh]) -> Mesh:
    """Several meshes as one part."""
    whole = join(meshes)
    return replace(whole, part=np.zeros(len(whole.part), np.int32))


def reversed_faces(mesh: Mesh) -> Mesh:
    """The mesh with its inside out: the wall of a cavity."""
    return replace(mesh.reversed(), normals=-mesh.normals)


def knurl(radius: float, low: float, high: float, teeth: int, depth: float) -> Mesh:
    """A ring with fine upright teeth, closed above and below."""
    columns = teeth * 6
    a = np.linspace(0, 2 * np.pi, columns + 1)
    wave = radius - depth * (0.5 + 0.5 * np.cos(a * teeth)) ** 1.5
    bevel = depth * 1.2
    rows = [
        (0.0, high, 0.0),
        (radius - depth - bevel, high, 0.0),
        (0.0, high - bevel, 1.0),
        (0.0, low + bevel, 1.0),
        (radius - depth - bevel, low, 0.0),
        (0.0, low, 0.0),
    ]
    points = np.empty((len(rows), columns + 1, 3))
    for i, (flat, y, toothed) in enumerate(rows):
        r = wave if toothed else np.full_like(a, flat)
        points[i] = np.stack([r * np.sin(a), np.full_like(a, y), r * np.cos(a)], axis=1)
    uv = np.stack(np.broadcast_arrays(np.linspace(0, 1, columns + 1)[None], np.linspace(0, 1, len(rows))[:, None]), -1)
    return grid_mesh(points[::-1], uv[::-1], 40)


def bent_plate(low: tuple[float, float], high: tuple[float, float], half_deg: float, thick: float) -> Mesh:
    """A plate bent round the axis from (radius, height) low to high, its front mapped 0…1, edges rounded off."""
    a = np.radians(np.linspace(-half_deg, half_deg, 49))
    t = np.linspace(0, 1, 33)
    ends = np.array([low, high])
    radius = ends[0, 0] + t * (ends[1, 0] - ends[0, 0])
    height = ends[0, 1] + t * (ends[1, 1] - ends[0, 1])
    slope = np.array([ends[1, 1] - ends[0, 1], -(ends[1, 0] - ends[0, 0])])
    slope /= np.linalg.norm(slope)

    def sheet(out: float) -> np.ndarray:
        r, y = radius + slope[0] * out, height + slope[1] * out
        return np.stack([r[:, None] * np.sin(a), np.broadcast_to(y[:, None], (33, 49)), r[:, None] * np.cos(a)], -1)

    front, back = sheet(thick), sheet(-thick)
    u = np.broadcast_to(np.linspace(0, 1, 49), (33, 49))
    v = np.broadcast_to(1 - t[:, None], (33, 49))
    face = grid_mesh(front, np.stack([u, v], -1), 40)
    border = np.concatenate([front[0, :-1], front[:-1, -1], front[-1, :0:-1], front[:0:-1, 0], front[0, :1]])
    inner = np.concatenate([back[0, :-1], back[:-1, -1], back[-1, :0:-1], back[:0:-1, 0], back[0, :1]])
    edge = grid_mesh(np.stack([inner, border]), np.full((2, len(border), 2), 0.02), 20)
    rear = grid_mesh(back[:, ::-1], np.full((33, 49, 2), 0.02), 40)
    return as_one([face, edge, rear])
