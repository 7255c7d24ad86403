"""Against a second, independent integrator: brute force, no light sampling, no importance, a few dozen lines.

It walks paths with NumPy: closed-form spheres and a floor in place of a mesh, even directions over the hemisphere, and
the light is whatever the path runs into. Slow and noisy, but there is little that could be wrong with it.
"""

import math
from collections.abc import Callable

import numpy as np
import pytest
from tests.conftest import diffuse, exposed, look_at, plane, rect, scene_of, sphere

from cyclorama.core.geometry.mesh import Mesh, join
from cyclorama.core.kernel import kernel
from cyclorama.core.material.bsdf import evaluate
from cyclorama.core.material.record import RECORD, prepare
from cyclorama.core.material.row import row_of
from cyclorama.core.material.tables import load_tables
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.scene import Material

BALL, HEIGHT = 0.5, 0.5
EYE, AT, HALF = (0.4, 1.3, 2.2), (0.0, 0.35, 0.0), 0.012
NO_FILMS = np.zeros((1, 2, 2, 3), np.float32)
Sky = Callable[[np.ndarray], np.ndarray]


@kernel
def _reflectance(v, s, wo, wi, films, tables, out):
    for i in range(wo.shape[0]):
        prepare(v, s, (wo[i, 0], wo[i, 1], wo[i, 2]), (0.0, 0.0, 1.0), False, tables)
        f = evaluate(v, s, (wo[i, 0], wo[i, 1], wo[i, 2]), (wi[i, 0], wi[i, 1], wi[i, 2]), films, tables)
        out[i, 0], out[i, 1], out[i, 2] = f[0] + f[3], f[1] + f[4], f[2] + f[5]


def basis(n: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    side = np.where(np.abs(n[:, 1:2]) < 0.9, [[0.0, 1.0, 0.0]], [[1.0, 0.0, 0.0]])
    t = np.cross(side, n)
    t /= np.linalg.norm(t, axis=1, keepdims=True)
    return t, np.cross(n, t)


def nearest(o: np.ndarray, d: np.ndarray, ball: bool) -> tuple[np.ndarray, np.ndarray]:
    """Distance (n,) and normal (n, 3) of floor and ball; infinite where nothing is."""
    with np.errstate(divide="ignore", invalid="ignore"):
        floor = np.where(d[:, 1] < -1e-9, -o[:, 1] / d[:, 1], np.inf)
    floor = np.where(floor > 1e-6, floor, np.inf)
    t, n = floor, np.tile([0.0, 1.0, 0.0], (len(o), 1))
    if ball:
        c = o - [0, HEIGHT, 0]
        b = (c * d).sum(axis=1)
        root = b * b - (c * c).sum(axis=1) + BALL * BALL
        near = -b - np.sqrt(np.maximum(root, 0))
        near = np.where((root > 0) & (near > 1e-6), near, np.inf)
        p = o + np.where(np.isfinite(near), near, 0)[:, None] * d
        n = np.where((near < t)[:, None], (p - [0, HEIGHT, 0]) / BALL, n)
        t = np.minimum(near, t)
    return t, n


def brute_force(
    material: Material, sky: Sky, panel: np.ndarray | None, ball: bool, bounces: int, count: int, seed: int
) -> float:
    """Mean red radiance through a tiny square around the middle of the picture."""
    rng = np.random.default_rng(seed)
    v = row_of(material).astype(np.float64)
    back = np.array(EYE) - AT
    back /= np.linalg.norm(back)
    right = np.cross([0, 1, 0], back)
    right /= np.linalg.norm(right)
    up = np.cross(back, right)
    xy = (rng.random((count, 2)) * 2 - 1) * HALF
    d = xy[:, :1] * right + xy[:, 1:] * up - back
    d /= np.linalg.norm(d, axis=1, keepdims=True)
    o, weight, total = np.tile(np.array(EYE), (count, 1)), np.ones((count, 3)), np.zeros((count, 3))
    for bounce in range(bounces + 2):
        t, n = nearest(o, d, ball)
        if panel is not None and bounce:
            total += weight * met_panel(panel, o, d, t)[:, None]
        away = ~np.isfinite(t)
        if bounce:
            total += np.where(away[:, None], weight * sky(d), 0.0)
        weight = np.where(away[:, None], 0.0, weight)
        o = o + np.where(away, 0.0, t)[:, None] * d
        tangent, bitangent = basis(n)
        z, phi = rng.random(count), rng.random(count) * 2 * math.pi
        r = np.sqrt(1 - z * z)
        local = np.stack([r * np.cos(phi), r * np.sin(phi), z], axis=1)
        wo = np.stack([-(d * tangent).sum(axis=1), -(d * bitangent).sum(axis=1), -(d * n).sum(axis=1)], axis=1)
        f = np.zeros((count, 3))
        _reflectance(v, np.zeros(RECORD), np.ascontiguousarray(wo), local, NO_FILMS, load_tables(), f)
        weight = weight * f * 2 * math.pi
        d = local[:, :1] * tangent + local[:, 1:2] * bitangent + local[:, 2:] * n
        o = o + 1e-5 * n
    return float(total[:, 0].mean())


def met_panel(panel: np.ndarray, o: np.ndarray, d: np.ndarray, reach: np.ndarray) -> np.ndarray:
    """Luminance of a horizontal panel that shines down, where a ray meets it before anything else."""
    with np.errstate(divide="ignore", invalid="ignore"):
        t = (panel[1] - o[:, 1]) / d[:, 1]
    p = o + np.where(np.isfinite(t), t, 0)[:, None] * d
    inside = (np.abs(p[:, 0] - panel[0]) < panel[3]) & (np.abs(p[:, 2] - panel[2]) < panel[8])
    return np.where((d[:, 1] > 1e-6) & (t > 1e-6) & (t < reach) & inside, panel[12], 0.0)


def even(d: np.ndarray) -> np.ndarray:
    return np.ones((len(d), 3))


def half_sky(d: np.ndarray) -> np.ndarray:
    return np.repeat(np.where(d[:, :1] > 0, 2.0, 0.25), 3, axis=1)


def dark(d: np.ndarray) -> np.ndarray:
    return np.zeros((len(d), 3))


def half_sky_picture() -> np.ndarray:
    picture = np.full((64, 128, 3), 0.25, np.float32)
    picture[:, 64:] = 2.0
    return picture


PANEL = rect((0.3, 1.6, -0.2), 1.2, 0.9, 6.0)
PLASTIC = Material(id="m", name="m", base_color=(0.7, 0.6, 0.5), specular_roughness=0.5)
METAL = Material(id="m", name="m", base_metalness=1, base_color=(0.9, 0.7, 0.5), specular_roughness=0.6)
COATED = Material(
    id="m", name="m", base_color=(0.5, 0.2, 0.2), coat_weight=1, coat_roughness=0.5, specular_roughness=0.6
)
CLOTH = Material(
    id="m", name="m", base_color=(0.4, 0.3, 0.3), fuzz_weight=1, fuzz_roughness=0.5, base_diffuse_roughness=0.7
)
SCENES = {
    "diffuse ball, even sky": (diffuse(0.7), even, None, True),
    "plastic ball, half sky": (PLASTIC, half_sky, None, True),
    "plastic ball, panel": (PLASTIC, dark, PANEL[0], True),
    "metal ball, panel and sky": (METAL, even, PANEL[0], True),
    "coated floor, panel": (COATED, dark, PANEL[0], False),
    "cloth ball, half sky and panel": (CLOTH, half_sky, PANEL[0], True),
}


@pytest.mark.parametrize("name", SCENES)
def test_the_tracer_agrees_with_brute_force(tracer: Tracer, name: str) -> None:
    material, sky, panel, ball = SCENES[name]
    bounces = 2
    up = sphere(BALL, 256)
    up = Mesh(up.vertices + np.float32([0, HEIGHT, 0]), up.normals, up.uvs, up.triangles, up.part)
    mesh = join([plane(400.0), up]) if ball else plane(400.0)
    mesh = Mesh(mesh.vertices, mesh.normals, mesh.uvs, mesh.triangles, np.zeros_like(mesh.part))
    environment = None if sky is dark else (1.0 if sky is even else half_sky_picture())
    rows = np.zeros((0, PANEL.shape[1])) if panel is None else PANEL
    scene = scene_of(mesh, material, look_at(EYE, AT, HALF, 8), rows, environment=environment, max_bounces=bounces)
    ours = [float(exposed(tracer, scene, 512, seed).radiance[..., 0].mean()) for seed in range(4)]
    theirs = [brute_force(material, sky, panel, ball, bounces, 300_000, seed) for seed in range(6)]
    error = math.hypot(np.std(ours, ddof=1) / 2, np.std(theirs, ddof=1) / math.sqrt(6))
    assert abs(np.mean(ours) - np.mean(theirs)) < 4 * error + 0.004 * np.mean(ours)
    assert error < 0.02 * np.mean(ours)  # or it says nothing
