"""Which light is aimed at: every one that gives something may be chosen, and the chance can be told again."""

import dataclasses
import itertools
import math

import numpy as np
import pytest
from tests.conftest import diffuse, exposed, look_at, plane, rect, rect_irradiance, scene_of

from cyclorama.core.kernel import kernel
from cyclorama.core.light.rows import light_row
from cyclorama.core.light.shapes import aim_at
from cyclorama.core.material.row import EVEN
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.render.trace.light_sampling import apart, chance_of, choose, facing_word, light_gives
from cyclorama.core.scene import Light

SHAPES = (
    {"shape": "rectangle"},
    {"shape": "rectangle", "grid_deg": 20.0},
    {"shape": "disc"},
    {"shape": "sphere"},
    {"shape": "tube"},
    {"shape": "spot", "cone_deg": 30.0, "edge": 0.2},
    {"shape": "sun", "power_unit": "lx"},
)


def rows(rng: np.random.Generator, distance: float, size: float) -> np.ndarray:
    lights = (
        Light.model_validate(
            {
                "id": "l",
                "name": "L",
                "azimuth_deg": rng.uniform(0, 360),
                "elevation_deg": rng.uniform(-80, 80),
                "distance_m": distance,
                "width_m": size,
                "height_m": size,
                **values,
            }
        )
        for values in SHAPES
    )
    return np.stack([light_row(light, np.zeros(3), 0.0) for light in lights])


@kernel
def _given(light_rows, gobos, points, normals, numbers, found, told):
    """Mean illuminance by many samples of each light at each point, and what it is judged by."""
    for i in range(points.shape[0]):
        p, n = (points[i, 0], points[i, 1], points[i, 2]), (normals[i, 0], normals[i, 1], normals[i, 2])
        for k in range(light_rows.shape[0]):
            total = 0.0
            for s in range(numbers.shape[0]):
                d, _, radiance, density = aim_at(light_rows, gobos, k, numbers[s, 0], numbers[s, 1], p)
                if density > 0.0:
                    total += (
                        (radiance[0] + radiance[1] + radiance[2])
                        / 3.0
                        * max(d[0] * n[0] + d[1] * n[1] + d[2] * n[2], 0.0)
                        / density
                    )
            found[i, k] = total / numbers.shape[0]
            told[i, k] = light_gives(light_rows, k, p, n, True, 0.5)


def _both(light_rows: np.ndarray, points: np.ndarray, normals: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    rng = np.random.default_rng(7)
    found, told = np.zeros((2, len(points), len(light_rows)))
    gobos = scene_of(plane(1.0), diffuse(0.5), look_at((0, 1, 0), (0, 0, 0), 0.3, 4)).lights.gobos
    _given(light_rows, gobos, points, normals, rng.random((512, 2)), found, told)
    return found, told


def test_lit_places_always_have_a_light_to_choose() -> None:
    rng = np.random.default_rng(5)
    normals = rng.normal(size=(400, 3))
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    for size in (0.05, 1.0, 3.0):
        found, told = _both(rows(rng, 1.5, size), rng.normal(scale=1.2, size=(400, 3)), normals)
        assert (found > 0).sum() > 300
        assert (told[found > 0] > 0).all()


def test_small_lights_are_judged_by_the_illuminance_they_give() -> None:
    rng = np.random.default_rng(6)
    light_rows = rows(rng, 2.0, 0.02)
    points = rng.normal(scale=0.05, size=(50, 3))
    for k, row in enumerate(light_rows):
        towards = -row[9:12] / np.linalg.norm(row[9:12])
        found, told = _both(light_rows[k : k + 1], points, np.tile(towards, (50, 1)))
        away = math.pi / 4 if SHAPES[k]["shape"] == "tube" else 1.0  # a tube shines less along its axis
        assert told == pytest.approx(found, rel=0.03 if away == 1.0 else 0.35, abs=1e-9), SHAPES[k]


@kernel
def _chosen(lights, env, gives, p, n, depth, counts, chances, again):
    word = facing_word(lights, (n[0], n[1], n[2]), True, 0.5)
    steps = 100_000
    alone = apart(lights, depth)
    for i in range(steps):
        source, chance, total = choose(lights, env, gives, (p[0], p[1], p[2]), word, -1, 0.5, (i + 0.5) / steps, alone)
        counts[source] += 1.0 / steps
        chances[source] = chance
        again[source] = chance_of(lights, env, source, (p[0], p[1], p[2]), word, np.float32(total), 0.5, depth + 1)


def test_chances_are_those_with_which_sources_are_chosen() -> None:
    rng = np.random.default_rng(8)
    picture = rng.random((32, 64, 3)).astype(np.float32) * 100
    scene = scene_of(plane(1.0), diffuse(0.5), look_at((0, 1, 0), (0, 0, 0), 0.3, 4), rows(rng, 2.0, 0.5), picture)
    ways = ((0.0, 1.0, 0.0), (0.6, -0.8, 0.0), (0.0, 0.0, -1.0))
    for n, depth in itertools.product(ways, (0, 1)):
        counts, chances, again = np.zeros((3, len(SHAPES) + 2))
        _chosen(
            scene.lights,
            scene.environment,
            np.zeros(len(SHAPES) + 2),
            np.array([0.1, 0.2, 0.0]),
            np.array(n),
            depth,
            counts,
            chances,
            again,
        )
        assert counts.sum() == pytest.approx(1.0)
        assert counts == pytest.approx(chances, abs=3e-5)
        assert again == pytest.approx(chances, rel=1e-9)
        assert (counts[-1] > 0) == (depth > 0)  # where a path is scattered first the environment has a ray of its own


@pytest.mark.parametrize("side_by_side", [True, False])
@pytest.mark.parametrize("bounces", [0, 1])
def test_light_of_surroundings_does_not_depend_on_lamps(tracer: Tracer, side_by_side: bool, bounces: int) -> None:
    """Albedo 0.5 under 100 nit from everywhere is 50 nit, to the same bits beside a faint light and a strong one."""
    found = []
    for nit in (1e-3, 1e6):
        light = rect((0.2, 2.0, 0.1), 0.5, 0.5, nit)
        camera = look_at((0, 1, 0.01), (0, 0, 0), 0.1, 16)
        scene = scene_of(plane(1.0), diffuse(0.5), camera, light, 100.0, bounces)
        values = scene.materials.values.copy()
        values[:, EVEN] *= side_by_side
        scene = dataclasses.replace(
            scene,
            materials=scene.materials._replace(values=values),
            layers=("surroundings",),
            recording=scene.recording._replace(groups=np.array([-1, -1, 0], np.int32)),
        )
        film = exposed(tracer, scene, 64)
        assert film.radiance.mean() == pytest.approx(
            50.0 + 0.5 / math.pi * rect_irradiance(0.5, 0.5, 2.0, nit), rel=0.05
        )
        found.append(film.layer("surroundings"))
    assert (found[0] == found[1]).all()
    assert found[0].mean() == pytest.approx(50.0, rel=0.002)
    assert found[0].std() < 2.0
