"""The tracer against closed forms and against itself with other strategies."""

import dataclasses
import math

import numpy as np
import pytest
from tests.conftest import diffuse, exposed, look_at, plane, rect, rect_irradiance, scene_of, sphere, with_rows

from cyclorama.core.geometry.mesh import Mesh, join
from cyclorama.core.material.row import BASE, OPACITY
from cyclorama.core.render.film.film import Film
from cyclorama.core.render.film.tracer import BATCH_PATHS, Cancelled, Tracer
from cyclorama.core.render.trace.wavefront import FrameScene
from cyclorama.core.scene import Material


def slab(thickness: float, size: float = 10.0) -> Mesh:
    """A closed plate between y = 0 and y = thickness."""
    h = size / 2
    v = np.array([[x, y, z] for y in (0.0, thickness) for x in (-h, h) for z in (-h, h)], np.float32)
    quads = [(0, 2, 3, 1), (4, 5, 7, 6), (0, 1, 5, 4), (2, 6, 7, 3), (0, 4, 6, 2), (1, 3, 7, 5)]
    corners = np.array([v[i] for quad in quads for i in quad])
    t = np.array(
        [tri for q in range(6) for tri in ((4 * q, 4 * q + 1, 4 * q + 2), (4 * q, 4 * q + 2, 4 * q + 3))], np.int32
    )
    n = np.cross(corners[t[:, 1]] - corners[t[:, 0]], corners[t[:, 2]] - corners[t[:, 0]])
    normals = np.repeat(n[::2] / np.linalg.norm(n[::2], axis=1, keepdims=True), 4, axis=0).astype(np.float32)
    return Mesh(corners, normals, np.zeros((24, 2), np.float32), t, np.zeros(12, np.int32))


MATERIALS = {
    "diffuse": Material(id="m", name="m", base_color=(1, 1, 1), specular_roughness=0.5),
    "smooth plastic": Material(id="m", name="m", base_color=(1, 1, 1), specular_roughness=0.0),
    "metal": Material(id="m", name="m", base_color=(1, 1, 1), base_metalness=1, specular_roughness=0.5),
    "clear glass": Material(id="m", name="m", transmission_weight=1, specular_roughness=0.0),
    "frosted glass": Material(id="m", name="m", transmission_weight=1, specular_roughness=0.5),
    "rough diffuse": Material(id="m", name="m", base_color=(1, 1, 1), specular_ior=1, base_diffuse_roughness=0.3),
}


@pytest.mark.parametrize("name", MATERIALS)
def test_white_furnace(tracer: Tracer, name: str) -> None:
    """A white ball in an even environment cannot be seen; energy within half a percent (mean over the ball)."""
    scene = scene_of(
        sphere(0.5), MATERIALS[name], look_at((0, 0, 3), (0, 0, 0), 0.2, 32), environment=1.0, max_bounces=64
    )
    film = exposed(tracer, scene, 256)
    inside = film.alpha > 0.999
    # rough diffuse: the published fit of its albedo is itself good to about a percent
    tolerance = 0.012 if name == "rough diffuse" else 0.005
    assert inside.sum() > 400
    assert float(film.radiance[inside].mean()) == pytest.approx(1.0, abs=tolerance)


@pytest.mark.parametrize(("width", "height", "above"), [(1.0, 1.0, 1.0), (2.0, 0.5, 0.7), (0.2, 0.2, 3.0)])
def test_irradiance_under_a_rectangle(tracer: Tracer, width: float, height: float, above: float) -> None:
    nit = 1000.0
    camera = look_at((0, 0.5 * above, 0.001), (0, 0, 0), 0.002, 8)
    scene = scene_of(plane(), diffuse(0.5), camera, rect((0, above, 0), width, height, nit), max_bounces=1)
    measured = float(exposed(tracer, scene, 1024).radiance.mean())
    expected = 0.5 * rect_irradiance(width, height, above, nit) / math.pi
    assert measured == pytest.approx(expected, rel=0.01)


def test_irradiance_of_an_even_environment(tracer: Tracer) -> None:
    """E = π L, so a surface of albedo ρ shows ρ L."""
    scene = scene_of(plane(), diffuse(0.37), look_at((0, 2, 0.1), (0, 0, 0), 0.1, 8), environment=250.0, max_bounces=1)
    assert float(exposed(tracer, scene, 256).radiance.mean()) == pytest.approx(0.37 * 250, rel=0.01)


def test_environment_from_one_side(tracer: Tracer) -> None:
    """Half the sky lit, towards +X: the floor gets half of π L, and a ball is bright on that side."""
    picture = np.zeros((64, 128, 3), np.float32)
    picture[:, 64:] = 100.0  # azimuths of +X: to the right of −Z in the middle
    scene = scene_of(plane(), diffuse(1.0), look_at((0, 2, 0.1), (0, 0, 0), 0.1, 8), environment=picture, max_bounces=1)
    assert float(exposed(tracer, scene, 512).radiance.mean()) == pytest.approx(50.0, rel=0.02)
    ball = scene_of(
        sphere(0.5), diffuse(1.0), look_at((0, 0, 3), (0, 0, 0), 0.2, 32), environment=picture, max_bounces=1
    )
    shown = exposed(tracer, ball, 64).radiance[16]
    assert shown[24:].mean() > 4 * shown[:8].mean()


@pytest.mark.parametrize("distance", [2.0, 5.0])
def test_silhouette_and_depth_of_a_ball(tracer: Tracer, distance: float) -> None:
    radius, pixels, half = 0.5, 96, 0.4
    scene = scene_of(sphere(radius, 512), diffuse(), look_at((0, 0, distance), (0, 0, 0), half, pixels))
    film = exposed(tracer, scene, 16)
    # the ball covers a disc of tangent radius r / √(d² − r²)
    reach = radius / math.sqrt(distance**2 - radius**2) / half * pixels / 2
    assert float(film.alpha.sum()) == pytest.approx(math.pi * reach**2, rel=0.003)
    middle = film.depth[pixels // 2 - 1 : pixels // 2 + 1, pixels // 2 - 1 : pixels // 2 + 1]
    assert float(middle.mean()) == pytest.approx(distance - radius, abs=2e-3)
    assert np.array_equal(film.subject, film.alpha)


def with_pick(scene, pick):  # type: ignore[no-untyped-def]
    return dataclasses.replace(scene, lights=scene.lights._replace(pick=np.float32(pick)))


@pytest.mark.parametrize("rough", [0.15, 0.5])
def test_strategies_agree(tracer: Tracer, rough: float) -> None:
    """Lights picked always, seldom or never (then only met by chance): the same picture within error bars."""
    material = Material(id="m", name="m", base_color=(0.8, 0.7, 0.6), specular_roughness=rough)
    base = scene_of(
        plane(),
        material,
        look_at((0, 1, 1.5), (0, 0, 0), 0.15, 12),
        rect((0, 1.2, -0.8), 1.5, 1.5, 500),
        environment=40.0,
        max_bounces=2,
    )
    results = []
    for pick in ([0, 0.5, 0.5, 1], [0, 0.03, 0.03, 0.06], [0, 0, 0, 0]):
        means = [float(exposed(tracer, with_pick(base, pick), 512, seed).radiance.mean()) for seed in range(6)]
        results.append((np.mean(means), np.std(means, ddof=1) / math.sqrt(6)))
    for value, error in results[1:]:
        assert abs(value - results[0][0]) < 4 * math.hypot(error, results[0][1]) + 0.002 * results[0][0]


def test_error_falls_with_samples(tracer: Tracer) -> None:
    """At least as fast as 1/√N: 16 times the samples leave at most about a quarter of the error."""
    scene = scene_of(
        plane(), diffuse(0.5), look_at((0, 1, 0.01), (0, 0, 0), 0.3, 24), rect((0, 1, 0), 1, 1, 1000), max_bounces=1
    )
    reference = exposed(tracer, scene, 4096, 77).radiance

    def error(samples: int) -> float:
        return float(np.sqrt(np.mean((exposed(tracer, scene, samples, 1).radiance - reference) ** 2)))

    assert error(256) < error(16) * 0.3


def test_beer_lambert_through_a_plate(tracer: Tracer) -> None:
    """Straight through a plate of index 1 the light keeps colour^(thickness / depth); with index 1.5 also (1−R)²…"""
    material = Material(
        id="m",
        name="m",
        transmission_weight=1,
        specular_roughness=0,
        specular_ior=1.5,
        transmission_color=(0.25, 0.5, 0.9),
        transmission_depth_m=0.2,
    )
    scene = scene_of(slab(0.1), material, look_at((0, 3, 0.0001), (0, 0, 0), 0.001, 4), environment=1.0, max_bounces=40)
    shown = exposed(tracer, scene, 2048).radiance.mean(axis=(0, 1))
    r = 0.04
    for channel, colour in enumerate((0.25, 0.5, 0.9)):
        a = colour**0.5
        # all orders between the two faces: through (1−r)²a / (1−r²a²), back r + r(1−r)²a² / (1−r²a²)
        expected = (1 - r) ** 2 * a / (1 - r * r * a * a) + r + r * (1 - r) ** 2 * a * a / (1 - r * r * a * a)
        assert shown[channel] == pytest.approx(expected, rel=0.01)


def stacked(*meshes: Mesh) -> Mesh:
    """Meshes as one part."""
    whole = join(list(meshes))
    return dataclasses.replace(whole, part=np.zeros_like(whole.part))


def with_opaque_floor(scene: FrameScene) -> FrameScene:
    """The first square, of albedo 0.6, is opaque whatever the rest is."""
    rows = np.vstack([scene.materials.values, scene.materials.values[-1:]])
    rows[-1, BASE : BASE + 3], rows[-1, OPACITY] = 0.6, 1.0
    return with_rows(scene, rows, slice(0, 2))


def test_half_opaque_plate_dims_by_half(tracer: Tracer) -> None:
    """Rays that are aimed at the light and rays that find it by chance both pass a veil of opacity ½."""
    veil = plane(40, 1.0)
    floor = plane(40, 0.0)
    under, light = look_at((0, 0.5, 0.01), (0, 0, 0), 0.01, 4), rect((0, 2, 0), 0.5, 0.5, 1000)
    open_scene = scene_of(floor, diffuse(0.6), under, light, max_bounces=1)
    # the camera under the veil, the light above it: one black veil of opacity ½ in the way of the light only
    veiled = with_opaque_floor(scene_of(stacked(floor, veil), diffuse(0.0, opacity=0.5), under, light, max_bounces=3))
    bright = float(exposed(tracer, open_scene, 512).radiance.mean())
    dim = float(exposed(tracer, veiled, 2048).radiance.mean())
    assert dim / bright == pytest.approx(0.5, rel=0.02)


@pytest.mark.parametrize(("opacity", "veils"), [(0.5, 1), (0.3, 5)])
def test_light_passes_veils_one_by_one(tracer: Tracer, opacity: float, veils: int) -> None:
    """Black veils between light and floor, the camera under them, leave (1 − opacity)ⁿ of the light. Each covers the
    floor only from its own edge on, so that shadow rays of one batch pass one, two or all of them."""
    step = 0.4 / veils
    sheets = [plane(40, 1.0 + 0.02 * k) for k in range(veils)]
    for k, sheet in enumerate(sheets):
        sheet.vertices[:, 0] += 20.0 - 0.2 + k * step  # lies from x = −0.2 + k · step to the right
    under = look_at((0, 0.9, 0.001), (0, 0, 0), 0.25, 64)
    light = rect((0, 40, 0), 0.02, 0.02, 1e9)
    floor = plane(40, 0.0)
    bare = scene_of(floor, diffuse(0.6), under, light, max_bounces=0)
    scene = scene_of(stacked(floor, *sheets), diffuse(0.0, opacity=opacity), under, light, max_bounces=0)
    dim = exposed(tracer, with_opaque_floor(scene), 64).radiance[..., 1]
    share = dim / exposed(tracer, bare, 64).radiance[..., 1]
    x = (np.arange(64) + 0.5) / 64 * 0.45 - 0.225
    for k in range(veils + 1):
        # the light is far above: shadows of edges lie straight below them; a pixel to each side is left out
        left, right = -0.2 + (k - 1) * step, -0.2 + k * step
        inside = (x > (left if k else -1.0) + 0.02) & (x < (right if k < veils else 1.0) - 0.02)
        assert inside.any()
        assert share[:, inside].mean() == pytest.approx((1.0 - opacity) ** k, rel=0.02)


def test_same_bits_for_any_number_of_threads() -> None:
    scene = scene_of(
        sphere(0.5, 64),
        MATERIALS["frosted glass"],
        look_at((0, 0, 3), (0, 0, 0), 0.25, 160),
        rect((0, 2, 1), 1, 1, 500),
        environment=1.0,
    )
    assert 2 * BATCH_PATHS < 160 * 160 * 4  # several batches, or the test says nothing
    films = []
    for threads in (1, 2, 3):
        with Tracer(threads) as tracer:
            films.append(exposed(tracer, scene, 4).sums)
    assert np.array_equal(films[0], films[1])
    assert np.array_equal(films[0], films[2])


def test_cancel_stops_and_nan_never_reaches_the_film(tracer: Tracer) -> None:
    scene = scene_of(sphere(0.5, 64), diffuse(), look_at((0, 0, 3), (0, 0, 0), 0.25, 64), environment=1.0)
    with pytest.raises(Cancelled):
        tracer.expose(Film(64, 64), scene, 1000, cancelled=lambda: True)
    broken = np.full((32, 64, 3), np.nan, np.float32)
    broken[:16] = 1.0
    broken[3, 5] = np.inf
    film = exposed(tracer, scene_of(sphere(0.5, 64), diffuse(), scene.camera, environment=broken), 4)
    assert np.isfinite(film.radiance).all()


def test_nothing_lit_is_black_and_empty_is_background(tracer: Tracer) -> None:
    film = exposed(tracer, scene_of(plane(), diffuse(), look_at((0, 2, 1), (0, 0, 0), 0.2, 8)), 4)
    assert not film.radiance.any()
    assert film.alpha.min() == 1.0
