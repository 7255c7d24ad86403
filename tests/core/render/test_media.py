"""Transparent bodies in one another, against closed forms."""

import math
from collections.abc import Sequence

import numpy as np
import pytest
from numpy.typing import NDArray
from tests.conftest import exposed, look_at, scene_of, sphere
from tests.core.render.test_truth import slab

from cyclorama.core.geometry.mesh import Mesh, join
from cyclorama.core.kernel import from_python, routine
from cyclorama.core.material.presets import with_preset
from cyclorama.core.material.row import COAT_IOR, IOR, PRIORITY, row_of
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.render.trace.media import NO_MEDIA, enter, exit_from, relative_row
from cyclorama.core.scene import Material

GLASS, WATER, ICE = 1.52, 1.333, 1.31


def clear(name: str, ior: float, absorb: float = 0.0, **more: object) -> Material:
    """A clear medium; absorb: 1/m, the same for all colours."""
    return Material(
        id=name, name=name, transmission_weight=1, specular_roughness=0.0, specular_ior=ior,
        transmission_color=(math.exp(-absorb),) * 3, transmission_depth_m=1.0, **more,  # type: ignore[arg-type]
    )  # fmt: skip


def raised(mesh: Mesh, by: float) -> Mesh:
    lift = np.eye(4)
    lift[1, 3] = by
    return mesh.transformed(lift)


def lower_sky(nit: float = 1.0) -> NDArray[np.float32]:
    """An environment that is bright below the horizon only."""
    picture = np.zeros((64, 128, 3), np.float32)
    picture[32:] = nit
    return picture


def fresnel(cosine: float, n1: float, n2: float) -> tuple[float, float]:
    """Unpolarised reflectance from n1 into n2, and the cosine beyond (Born and Wolf, section 1.5.2)."""
    beyond = math.sqrt(1.0 - (n1 / n2) ** 2 * (1.0 - cosine**2))
    across = (n1 * cosine - n2 * beyond) / (n1 * cosine + n2 * beyond)
    along = (n2 * cosine - n1 * beyond) / (n2 * cosine + n1 * beyond)
    return 0.5 * (across**2 + along**2), beyond


def passes(layers: Sequence[tuple[float, float, float]], cosine: float) -> float:
    """Share of light that crosses plates of (index, thickness, absorption) from air to air, with all that is thrown
    back and forth between their borders; found by adding one border after the other."""
    indices = [1.0, *(n for n, _, _ in layers), 1.0]
    depths = [0.0, *(d * a for _, d, a in layers)]
    through, back = 1.0, 0.0  # of what lies above, back seen from below
    for k in range(len(indices) - 1):
        r, beyond = fresnel(cosine, indices[k], indices[k + 1])
        dims = math.exp(-depths[k] / cosine)
        again = 1.0 - dims * dims * back * r
        # what comes from below is thrown back by this border, or by all above it
        through, back = through * dims * (1.0 - r) / again, r + (1.0 - r) ** 2 * dims * dims * back / again
        cosine = beyond
    return through


def seen_from_above(tracer: Tracer, bodies: Sequence[tuple[Mesh, Material]], tilt_deg: float = 0.0) -> float:
    """Share of an even sky below that is seen through bodies."""
    a = math.radians(tilt_deg)
    camera = look_at((3 * math.sin(a), 3 * math.cos(a), 1e-4), (0, 0, 0), 0.001, 4)
    meshes, materials = zip(*bodies, strict=True)
    scene = scene_of(join(list(meshes)), materials, camera, environment=lower_sky(), max_bounces=40)
    return float(exposed(tracer, scene, 1024).radiance.mean())


@pytest.mark.parametrize("tilt_deg", [0.0, 55.0])
def test_liquid_between_plates(tracer: Tracer, tilt_deg: float) -> None:
    """Two plates of glass with a liquid between them that reaches into both: Fresnel's shares at glass and liquid, and
    what is absorbed on the lengths that each of them really has."""
    plate, tank = clear("glass", GLASS, 2.0), clear("water", WATER, 4.0, priority=-1)
    bodies = [(raised(slab(0.1), 0.2), plate), (slab(0.1), plate), (raised(slab(0.15), 0.08), tank)]
    layers = [(GLASS, 0.1, 2.0), (WATER, 0.1, 4.0), (GLASS, 0.1, 2.0)]
    expected = passes(layers, math.cos(math.radians(tilt_deg)))
    assert seen_from_above(tracer, bodies, tilt_deg) == pytest.approx(expected, rel=0.01)


def test_the_higher_priority_fills_the_place(tracer: Tracer) -> None:
    """The same, the liquid above the glass: it takes from the plates what it overlaps."""
    plate, tank = clear("glass", GLASS, 2.0), clear("water", WATER, 4.0, priority=1)
    bodies = [(raised(slab(0.1), 0.2), plate), (slab(0.1), plate), (raised(slab(0.15), 0.08), tank)]
    layers = [(GLASS, 0.07, 2.0), (WATER, 0.15, 4.0), (GLASS, 0.08, 2.0)]
    assert seen_from_above(tracer, bodies) == pytest.approx(passes(layers, 1.0), rel=0.01)


def test_bodies_wholly_inside_need_no_priority(tracer: Tracer) -> None:
    """A bubble in ice in water in glass, each inside the one before."""
    names = ("glass", "water", "ice", "bubble")
    indices, absorb = (GLASS, WATER, ICE, 1.0), (1.0, 2.0, 3.0, 0.0)
    media = [clear(name, n, a) for name, n, a in zip(names, indices, absorb, strict=True)]
    bodies = [(raised(slab(0.4 - 0.1 * k), 0.05 * k), medium) for k, medium in enumerate(media)]
    way_in = [(n, 0.05, a) for n, a in zip(indices, absorb, strict=True)]
    layers = [*way_in[:3], (1.0, 0.1, 0.0), *way_in[2::-1]]
    assert seen_from_above(tracer, bodies) == pytest.approx(passes(layers, 1.0), rel=0.01)


def test_one_material_twice_is_one_body(tracer: Tracer) -> None:
    plate = clear("glass", GLASS, 3.0)
    bodies = [(slab(0.1), plate), (raised(slab(0.1), 0.06), plate)]
    assert seen_from_above(tracer, bodies) == pytest.approx(passes([(GLASS, 0.16, 3.0)], 1.0), rel=0.01)


def test_filled_ball(tracer: Tracer) -> None:
    """A ray off the middle of a hollow glass ball full of water leaves in the direction, and with the light, that two
    concentric balls have in closed form: b / n is the nearest that it comes to the middle in each."""
    outer, inner, off = 0.5, 0.4, 0.3
    glass, water = clear("glass", GLASS, 1.5), clear("water", WATER, 3.0, priority=-1)
    balls = join([sphere(outer, 256), sphere(inner, 256).reversed()])
    shell = Mesh(balls.vertices, balls.normals, balls.uvs, balls.triangles, np.zeros(len(balls.triangles), np.int32))
    turned, share, n_before = 0.0, 1.0, 1.0
    for radius, n in ((outer, GLASS), (inner, WATER)):
        outside, inside = math.asin(off / (n_before * radius)), math.asin(off / (n * radius))
        turned += 2.0 * (outside - inside)
        share *= (1.0 - fresnel(math.cos(outside), n_before, n)[0]) ** 2
        n_before = n
    in_water = 2.0 * math.sqrt(inner**2 - (off / WATER) ** 2)
    in_glass = 2.0 * math.sqrt(outer**2 - (off / GLASS) ** 2) - 2.0 * math.sqrt(inner**2 - (off / GLASS) ** 2)
    share *= math.exp(-1.5 * in_glass - 3.0 * in_water)
    # a camera that looks along −Z, its ray `off` to the right of the middle; it is bent to the left
    towards = np.array([-math.sin(turned), 0.0, -math.cos(turned)])
    rows, columns = np.mgrid[0:512, 0:1024]
    polar, azimuth = (rows + 0.5) / 512 * math.pi, ((columns + 0.5) / 1024 - 0.5) * 2.0 * math.pi
    sky = np.stack([np.sin(polar) * np.sin(azimuth), np.cos(polar), -np.sin(polar) * np.cos(azimuth)], axis=-1)
    picture = np.where(sky @ towards > math.cos(math.radians(3.0)), np.float32(1.0), np.float32(0.0))
    picture = np.repeat(picture[..., None], 3, axis=2).astype(np.float32)
    camera = look_at((off, 0, 3), (off, 0, 0), 0.0005, 4)
    scene = scene_of(join([shell, sphere(inner + 0.02, 256)]), (glass, water), camera, environment=picture)
    assert float(exposed(tracer, scene, 1024).radiance.mean()) == pytest.approx(share, rel=0.02)


def test_energy_of_a_drink(tracer: Tracer) -> None:
    """Rough glass, a cloudy liquid that reaches into it, and ice in that: nothing is lost or gained in a white
    furnace."""
    glass = clear("glass", GLASS).model_copy(update={"specular_roughness": 0.4})
    milk = Material(
        id="milk", name="milk", transmission_weight=1, specular_roughness=0.0, specular_ior=1.345, priority=-1,
        transmission_color=(0.6, 0.6, 0.6), transmission_depth_m=0.1, transmission_scatter=(0.7, 0.7, 0.7),
        transmission_scatter_anisotropy=0.5,
    )  # fmt: skip
    balls = join([sphere(0.5, 64), sphere(0.4, 64).reversed()])
    shell = Mesh(balls.vertices, balls.normals, balls.uvs, balls.triangles, np.zeros(len(balls.triangles), np.int32))
    bodies = join([shell, sphere(0.42, 64), sphere(0.15, 64)])
    camera = look_at((0, 0, 3), (0, 0, 0), 0.18, 24)
    scene = scene_of(bodies, (glass, milk, clear("ice", ICE)), camera, environment=1.0, max_bounces=400)
    film = exposed(tracer, scene, 256)
    inside = film.alpha > 0.999
    assert inside.sum() > 200
    assert float(film.radiance[inside].mean()) == pytest.approx(1.0, abs=0.005)


def test_milk_reflects_as_was_measured(tracer: Tracer) -> None:
    """A ball of milk under an even sky: its diffuse reflectance (Jensen et al. 2001, figure 5), and what the surface
    throws back besides. Walks of more than a thousand steps, which end in the dark, take some of it."""
    milk = with_preset(Material(id="m", name="Milk"), "Milk")
    camera = look_at((0, 0, 1), (0, 0, 0), 0.03, 24)
    film = exposed(tracer, scene_of(sphere(0.05, 64), milk, camera, environment=1.0, max_bounces=64), 256)
    surface = fresnel(1.0, 1.0, 1.345)[0]
    assert film.radiance.mean(axis=(0, 1)) - surface == pytest.approx([0.91, 0.88, 0.76], abs=0.03)


def test_cloud_dims_what_is_seen_through_it(tracer: Tracer) -> None:
    """exp(−σ d) of a small bright spot behind a plate that scatters, its index that of air."""
    cloud = Material(
        id="m", name="m", transmission_weight=1, specular_roughness=0.0, specular_ior=1.0,
        transmission_color=(0.5, 0.5, 0.5), transmission_depth_m=0.1, transmission_scatter=(0.2, 0.2, 0.2),
    )  # fmt: skip
    picture = np.zeros((256, 512, 3), np.float32)
    picture[-1] = 100.0
    camera = look_at((0, 3, 1e-5), (0, 0, 0), 1e-4, 4)
    scene = scene_of(slab(0.25), cloud, camera, environment=picture)
    assert float(exposed(tracer, scene, 4096).radiance.mean()) == pytest.approx(100.0 * 0.5**2.5, rel=0.03)


def test_media_of_a_path() -> None:
    """Four are remembered, the highest first; the lowest of five is forgotten, and what was never entered is left
    without harm."""
    go_in, go_out = from_python(enter), from_python(exit_from)
    values = np.stack([row_of(clear(str(k), 1.3, priority=p)) for k, p in enumerate((0, 5, 0, 2, -3, 9))])
    assert list(values[:, PRIORITY]) == [0, 5, 0, 2, -3, 9]
    media = tuple(map(np.int64, NO_MEDIA))
    for row, wanted in ((0, [0]), (1, [1, 0]), (2, [1, 2, 0]), (3, [1, 3, 2, 0]), (4, [1, 3, 2, 0]), (5, [5, 1, 3, 2])):
        media = go_in(values, media, np.int64(row))
        assert [m for m in media if m >= 0] == wanted
    assert go_out(media, np.int64(4)) == media
    assert list(go_out(media, np.int64(1))) == [5, 3, 2, -1]


def test_reflections_under_water() -> None:
    """F0 of plastic in water goes by the quotient of both indices."""
    v = row_of(Material(id="m", name="m", specular_ior=1.5, coat_weight=1.0, coat_ior=1.6)).astype(np.float64)

    @routine
    def called(values, around, row):  # type: ignore[no-untyped-def]
        relative_row(values, around, row)

    fill_in, row = from_python(called), np.zeros_like(v)
    fill_in(v, WATER, row)
    assert row[IOR] == pytest.approx(1.5 / WATER)
    assert row[COAT_IOR] == pytest.approx(1.6 / WATER)
    fill_in(v, 2.0, row)
    assert row[IOR] == pytest.approx(2.0 / 1.5)
