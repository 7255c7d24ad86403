"""Small natural forms made by the program, each in a few shapes: pebbles, gravel, grains, petals, leaves and more."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from ..scene import Made
from ..scene.made import Form
from .mesh import Mesh
from .normals import with_smooth_normals
from .rows import distinct_rows

F64 = NDArray[np.float64]
Sheet = tuple[F64, NDArray[np.int64]]
"""Points (n, 3) and triangles (t, 3)."""
SHAPES = 6
"""Shapes of each form, told apart by their number."""
RIBS = 14
"""Ribs of a shell."""
DROP_CONTACT_DEG = 72.0
"""Angle at which a drop of water meets what it lies on: that of water on clean plastics and lacquer is 60° to 80°."""
DROP_FOOT, CAP_SHARE = 0.22, 10 / 12
"""Share of a drop's height below the surface, and of its rows that are above."""
COARSER = 2
"""Levels by which stand-ins of forms are coarser."""
Random = np.random.Generator


@dataclass(frozen=True, slots=True)
class NaturalForm:
    """A form of which there are several shapes."""

    form: Form
    build: Callable[[Random, int], Sheet]
    """one shape, in any size; as much coarser as a number says"""
    size_m: tuple[float, float, float]
    """usual width, depth and height"""
    crease_deg: float = 180.0
    """edges at which faces meet at more than that stay sharp"""


def is_natural(made: Made) -> bool:
    """True for forms of which there are several shapes."""
    return made.form in NATURAL


def build_natural(made: Made, coarse: bool = False) -> Mesh:
    """The mesh of a natural form in one of its shapes, m, in the box that it says, standing on its base; one part."""
    kind = NATURAL[made.form]
    random = np.random.Generator(np.random.Philox([made.shape, _NUMBERS[made.form]]))
    points, triangles = kind.build(random, COARSER if coarse else 0)
    low, size = points.min(axis=0), np.maximum(np.ptp(points, axis=0), 1e-12)
    unit = (points - low) / size - [0.5, 0.0, 0.5]
    uvs = unit[:, [0, 2]] + 0.5
    placed = unit * [made.width_m, made.height_m, made.depth_m]
    normals, triangles32, source = with_smooth_normals(placed, triangles, kind.crease_deg)
    return Mesh(
        placed[source].astype(np.float32),
        normals,
        uvs[source].astype(np.float32),
        triangles32,
        np.zeros(len(triangles32), np.int32),
    )


def round_ball(level: int) -> Sheet:
    """A ball of radius 1: an icosahedron, each face divided by four so often."""
    golden = (1 + 5**0.5) / 2
    points = np.array([[a, b * golden, 0] for a in (-1, 1) for b in (-1, 1)], float)
    points = np.concatenate([points, np.roll(points, 1, axis=1), np.roll(points, 2, axis=1)])
    points /= np.linalg.norm(points, axis=1, keepdims=True)
    hull = scipy.spatial.ConvexHull(points)
    triangles = _outwards(points, hull.simplices.astype(np.int64))
    for _ in range(level):
        a, b, c = (points[triangles[:, k]] for k in range(3))
        ab, bc, ca = ((p + q) / np.linalg.norm(p + q, axis=1, keepdims=True) for p, q in ((a, b), (b, c), (c, a)))
        faces = [(a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca)]
        corners = np.concatenate([np.stack(face, axis=1) for face in faces]).reshape(-1, 3)
        index, count = distinct_rows(np.round(corners * 1e7).astype(np.int64))
        points = np.empty((count, 3))
        points[index] = corners
        triangles = index.reshape(-1, 3).astype(np.int64)
    return points, triangles


def _outwards(points: F64, triangles: NDArray[np.int64]) -> NDArray[np.int64]:
    """Triangles of a body around the origin, all seen from outside."""
    a, b, c = (points[triangles[:, k]] for k in range(3))
    inside = np.einsum("ij,ij->i", np.cross(b - a, c - a), a + b + c) < 0
    return np.where(inside[:, None], triangles[:, ::-1], triangles)


def _lumps(points: F64, random: Random, waves: int, depth: float, finest: float) -> F64:
    """Points on a ball, moved out and in by waves of random directions (a sum of waves is smooth everywhere)."""
    found = np.zeros(len(points))
    for k in range(waves):
        way = random.normal(size=3)
        way *= (1.0 + (finest - 1.0) * k / max(waves - 1, 1)) / np.linalg.norm(way)
        found += np.cos(points @ way * np.pi + random.uniform(0, 2 * np.pi)) / np.sqrt(k + 1.0)
    return points * (1.0 + depth * found / np.sqrt(waves))[:, None]


def _pebble(random: Random, coarser: int) -> Sheet:
    points, triangles = round_ball(4 - coarser)
    points = np.sign(points) * np.abs(points) ** random.uniform(0.85, 1.0)
    return _lumps(points, random, 6, 0.22, 1.6) * [1.0, random.uniform(0.45, 0.65), random.uniform(0.7, 0.9)], triangles


def _gravel(random: Random, coarser: int) -> Sheet:
    points = random.normal(size=(22, 3))
    points /= np.linalg.norm(points, axis=1, keepdims=True)
    points *= random.uniform(0.75, 1.0, (22, 1)) * [1.0, random.uniform(0.55, 0.8), random.uniform(0.7, 1.0)]
    hull = scipy.spatial.ConvexHull(points)
    return points, _outwards(points - points.mean(axis=0), hull.simplices.astype(np.int64))


def _grain(random: Random, coarser: int) -> Sheet:
    points, triangles = round_ball(max(1 - coarser, 0))
    return _lumps(points, random, 5, 0.3, 2.0) * [1.0, 0.8, 0.85], triangles


def _snow(random: Random, coarser: int) -> Sheet:
    points, triangles = round_ball(3 - coarser)
    return _lumps(points, random, 14, 0.2, 4.0), triangles


def _crumb(random: Random, coarser: int) -> Sheet:
    points, triangles = round_ball(3 - coarser)
    return _lumps(points, random, 24, 0.34, 6.0) * [1.0, 0.7, 0.85], triangles


def _bean(random: Random, coarser: int) -> Sheet:
    """Half an ellipsoid, its flat side up, with a bent groove along it."""
    points, triangles = round_ball(4 - coarser)
    bent = random.uniform(1.8, 3.2)
    x, y, z = _lumps(points, random, 4, 0.05, 1.5).T
    top = np.where(y > 0, 0.12 * y + 0.08 * (1 - x * x - z * z).clip(0), 0.75 * y)
    groove = np.exp(-(((z - 0.13 * np.sin(bent * x)) / 0.085) ** 2)) * (np.abs(x) < 0.98) * np.sqrt((1 - x * x).clip(0))
    top = top - 0.3 * groove * (y > 0)
    return np.stack([1.3 * x, top, z], axis=1), triangles


def _sheet(rows: int, columns: int, coarser: int) -> tuple[F64, F64, NDArray[np.int64]]:
    """Places along (0…1) and across (−1…1) of a grid, and its triangles."""
    rows, columns = (rows - 1) // (1 + coarser) + 1, (columns - 1) // (1 + coarser) + 1
    along, across = np.meshgrid(np.linspace(0, 1, rows), np.linspace(-1, 1, columns), indexing="ij")
    index = np.arange(rows * columns).reshape(rows, columns)
    a, b, c, d = index[:-1, :-1], index[:-1, 1:], index[1:, 1:], index[1:, :-1]
    return along.ravel(), across.ravel(), np.stack([a, c, b, a, d, c], axis=-1).reshape(-1, 3)


def _petal(random: Random, coarser: int) -> Sheet:
    """Broad, cupped, its rim turned and wavy."""
    t, s, triangles = _sheet(17, 13, coarser)
    wide = np.sin(np.pi * np.clip(0.08 + 0.87 * t, 0, 1) ** 1.5) ** 0.8 * random.uniform(0.42, 0.52)
    cup, wave = random.uniform(0.2, 0.4), random.uniform(0, 2 * np.pi)
    rim = 0.02 * np.sin(3 * t * np.pi + wave) * s**2
    y = cup * (wide * s) ** 2 * 2 + random.uniform(0.1, 0.3) * (t - 0.45) ** 2 + rim
    return np.stack([wide * s, y, 0.5 - t], axis=1), triangles


def _leaf(random: Random, coarser: int) -> Sheet:
    """Pointed at both ends, folded along its middle, bent, its halves wavy."""
    t, s, triangles = _sheet(21, 11, coarser)
    wide = np.sin(np.pi * t) ** 0.85 * (1.15 - 0.45 * t) * random.uniform(0.22, 0.3)
    bend, wave = random.uniform(-0.5, 0.5), random.uniform(0, 2 * np.pi)
    y = 0.45 * np.abs(s) * wide + random.uniform(0.2, 0.5) * (t - 0.5) ** 2 + 0.03 * np.sin(9 * t + wave) * s
    x = wide * s + bend * (t - 0.5) ** 2 * 0.4
    return np.stack([x, y, 0.5 - t], axis=1), triangles


def _needle(random: Random, coarser: int) -> Sheet:
    """A long thin rod, bent a little, pointed at one end."""
    t, s, triangles = _sheet(13, 7, coarser)
    radius = 0.014 * np.clip(np.minimum((1.001 - t) * 8, t * 30 + 0.6), 0.02, 1)
    angle = -np.pi * s
    bend = random.uniform(-0.25, 0.25)
    x = radius * np.cos(angle) + bend * (t - 0.5) ** 2
    y = radius * np.sin(angle) + random.uniform(0.0, 0.1) * (t - 0.5) ** 2
    return np.stack([x, y, 0.5 - t], axis=1), triangles


def _confetti(random: Random, coarser: int) -> Sheet:
    """A piece of paper, curled a little."""
    t, s, triangles = _sheet(9, 9, coarser)
    curl, twist = random.uniform(0.2, 0.9), random.uniform(-0.4, 0.4)
    x, z = 0.5 * s * random.uniform(0.6, 1.0), 0.5 - t
    return np.stack([x, curl * z**2 + twist * x * z, z], axis=1), triangles


def _shell(random: Random, coarser: int) -> Sheet:
    """A fan with ribs, domed, its hinge at the back."""
    t, s, triangles = _sheet(21, 49, coarser)
    ribs = 0.5 + 0.5 * np.cos(2 * np.pi * RIBS / 2 * s)
    radius = t * (1.0 + 0.05 * ribs * t) * (1.0 - 0.12 * s**2)
    angle = s * np.radians(random.uniform(62, 74))
    dome = random.uniform(0.26, 0.36) * np.sin(np.pi * np.clip(t, 0, 1) ** 0.8) * (1.0 - 0.75 * s**2)
    growth = 0.008 * np.cos(2 * np.pi * random.uniform(4, 7) * t)
    return np.stack(
        [radius * np.sin(angle), dome + 0.045 * ribs * t + growth, radius * np.cos(angle)], axis=1
    ), triangles


def _drop(random: Random, coarser: int) -> Sheet:
    """A cap of water, not quite round, with a foot that goes into what it lies on."""
    t, s, triangles = _sheet(13, 33, coarser)
    edge, angle = np.radians(DROP_CONTACT_DEG), np.pi * s
    polar = edge * np.minimum(t / CAP_SHARE, 1.0)
    far, y = np.sin(polar) / np.sin(edge), (np.cos(polar) - np.cos(edge)) / np.sin(edge)
    below = np.clip((t - CAP_SHARE) / (1 - CAP_SHARE), 0, 1)
    deep = -DROP_FOOT / (1 - DROP_FOOT) * (1 - np.cos(edge)) / np.sin(edge)
    y = np.where(below > 0, deep, y)
    far = np.where(below > 0, far * (1.0 - np.clip(2 * below - 1, 0, 1)), far)
    out = 1.0 + 0.03 * np.cos(2 * angle + random.uniform(0, 6)) + 0.02 * np.cos(3 * angle + random.uniform(0, 6))
    return np.stack([far * out * np.sin(angle), y, far * out * np.cos(angle)], axis=1), triangles


_ALL = (
    NaturalForm("pebble", _pebble, (0.028, 0.022, 0.014)),
    NaturalForm("gravel", _gravel, (0.014, 0.012, 0.010), 8.0),
    NaturalForm("grain", _grain, (0.0011, 0.0010, 0.0009)),
    NaturalForm("petal", _petal, (0.022, 0.026, 0.006)),
    NaturalForm("leaf", _leaf, (0.026, 0.055, 0.012)),
    NaturalForm("needle", _needle, (0.004, 0.045, 0.003)),
    NaturalForm("confetti", _confetti, (0.006, 0.008, 0.002)),
    NaturalForm("snow", _snow, (0.004, 0.004, 0.0035)),
    NaturalForm("crumb", _crumb, (0.006, 0.005, 0.004)),
    NaturalForm("bean", _bean, (0.011, 0.008, 0.006)),
    NaturalForm("drop", _drop, (0.005, 0.005, 0.0023), 60.0),
    NaturalForm("shell", _shell, (0.024, 0.021, 0.007)),
)
NATURAL: dict[Form, NaturalForm] = {kind.form: kind for kind in _ALL}
_NUMBERS = {kind.form: number for number, kind in enumerate(_ALL)}
