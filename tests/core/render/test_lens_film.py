"""Lens, shutter, adaptive sampling, surface detail and media against closed forms."""

import dataclasses
import math

import numpy as np
import pytest
from tests.conftest import diffuse, edited, exposed, look_at, plane, png_of, project_of, rect, scene_of, sphere

from cyclorama.core.geometry.cache_keys import content_hash
from cyclorama.core.geometry.edges import hard_edges
from cyclorama.core.geometry.mesh import Mesh
from cyclorama.core.kernel import kernel
from cyclorama.core.material.thin_film import thin_film_reflectance, thin_film_table
from cyclorama.core.motion import camera_ev100, moment
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.tracer import Tracer, film_for, noisy_pixels
from cyclorama.core.render.trace.arrays import Edges
from cyclorama.core.render.trace.camera_rays import on_aperture
from cyclorama.core.render.trace.surface import rounded_normal
from cyclorama.core.scene import Material, MaterialMaps, TextureRef


@kernel
def _aperture(camera, numbers, out):
    for i in range(numbers.shape[0]):
        out[i, 0], out[i, 1] = on_aperture(camera, numbers[i, 0], numbers[i, 1])


@pytest.mark.parametrize("blades", [0, 5, 8])
def test_aperture_is_an_even_disc_or_polygon(blades: int) -> None:
    camera = look_at((0, 0, 1), (0, 0, 0), 0.1, 8)._replace(blades=blades, blade_turn=0.1)
    points = np.zeros((200_000, 2))
    _aperture(camera, np.random.default_rng(1).random((200_000, 2)), points)
    radius = np.hypot(*points.T)
    assert radius.max() <= 1 + 1e-9
    if blades < 3:
        assert (radius**2).mean() == pytest.approx(0.5, abs=0.005)  # even over the disc
        return
    inner = math.cos(math.pi / blades)  # every point within the inscribed circle's reach along each side's normal
    sides = 2 * math.pi * (0.1 + (np.arange(blades) + 0.5) / blades)
    along = points @ np.stack([np.cos(sides), np.sin(sides)])
    assert along.max() <= inner + 1e-9
    area = blades * math.sin(math.pi / blades) * inner
    within = radius < 0.5
    assert within.mean() == pytest.approx(math.pi * 0.25 / area, abs=0.01)  # even over the polygon


def test_squeeze_makes_blur_taller_than_wide(tracer: Tracer) -> None:
    spark = sphere(0.004, 24)
    spark = Mesh(spark.vertices + np.float32([0, 0, -6]), spark.normals, spark.uvs, spark.triangles, spark.part)
    camera = look_at((0, 0, 0), (0, 0, -1), 0.1, 128)._replace(lens_radius=0.05, focus=2.0, squeeze=2.0)
    lit = exposed(tracer, scene_of(spark, diffuse(0.0), camera), 2048).alpha > 0
    tall, wide = np.ptp(np.nonzero(lit)[0]) + 1, np.ptp(np.nonzero(lit)[1]) + 1
    assert tall / wide == pytest.approx(2.0, rel=0.15)


@pytest.mark.parametrize("kind", ["orbit", "spin"])
def test_motion_blur_streak(tracer: Tracer, kind: str) -> None:
    """While the shutter is open for half a frame of 24 in a turn, a spark at radius r travels r · 7.5°."""
    spark = sphere(0.004, 16)
    r = 0.3
    spark = Mesh(spark.vertices + np.float32([0, 0, r]), spark.normals, spark.uvs, spark.triangles, spark.part)
    project, assets = project_of(spark, diffuse(0.5))
    project = edited(
        project,
        {
            "move": kind,
            "shot/frames": 24,
            "camera/shutter_deg": 180.0,
            "camera/elevation_deg": 0.0,
            "camera/aim/y_m": 0.0,
            "camera/distance_m": 3.0,
            "camera/focal_mm": 100.0,
        },
    )
    scene = SceneCompiler(assets.__getitem__).compile(moment(project, 1), 256, 144)
    lit = exposed(tracer, scene, 512).alpha
    columns = np.nonzero(lit.sum(axis=0) > 0.05 * lit.sum(axis=0).max())[0]
    distance = 3.0 - r
    pixel = 2 * scene.camera.half_width / 256
    travelled = 2 * r * math.sin(math.radians(7.5 / 2)) / distance / pixel
    size = 0.008 / distance / pixel + 2.0  # the spark itself, and the pixel filter
    assert np.ptp(columns) + 1 == pytest.approx(travelled + size, abs=2.5)
    still = edited(project, camera__shutter_deg=0.0)
    frozen = exposed(tracer, SceneCompiler(assets.__getitem__).compile(moment(still, 1), 256, 144), 64).alpha
    assert np.ptp(np.nonzero(frozen.sum(axis=0))[0]) + 1 < 0.4 * (np.ptp(columns) + 1)


def test_exposure_by_camera_settings() -> None:
    """f/8, 1/125 s, ISO 100 is EV 12.97; a stop of sensitivity is a stop of EV100."""
    project, _ = project_of(plane(), diffuse())
    slow = project.camera.model_copy(update={"f_number": 8.0, "shutter_deg": 360 * 24 / 125})
    assert camera_ev100(slow, 24.0) == pytest.approx(math.log2(64 * 125), abs=1e-6)
    fast = slow.model_copy(update={"iso": 200.0})
    assert camera_ev100(fast, 24.0) == pytest.approx(camera_ev100(slow, 24.0) - 1)
    set_so = edited(project, {f"camera/{name}": getattr(fast, name) for name in ("f_number", "shutter_deg", "iso")})
    by_camera = edited(set_so, camera__exposure_by="camera")
    assert moment(by_camera, 1).look.tone.ev100 == pytest.approx(camera_ev100(fast, 24.0))
    assert moment(set_so, 1).look.tone.ev100 == project.look.tone.ev100


def test_vignette_falls_by_the_fourth_power(tracer: Tracer) -> None:
    camera = look_at((0, 0, 0), (0, 0, -1), 1.0, 65)._replace(vignette=1.0)
    shell = sphere(5.0, 128)
    glowing = Material(id="m", name="m", emission_luminance=100, base_color=(0, 0, 0), specular_weight=0)
    ball = scene_of(shell, glowing, camera, max_bounces=0)
    shown = exposed(tracer, ball, 64).radiance[..., 0]
    assert shown[32, 32] == pytest.approx(100, rel=0.01)
    assert shown[32, 60] / 100 == pytest.approx((1 + ((60.5 / 65) * 2 - 1) ** 2) ** -2, rel=0.02)


def test_adaptive_sampling_stops_where_it_is_clean_and_keeps_the_mean(tracer: Tracer) -> None:
    ball = sphere(0.4, 64)
    scene = scene_of(
        ball,
        Material(id="m", name="m", specular_roughness=0.3),
        look_at((0, 0, 3), (0, 0, 0), 0.3, 96),
        rect((0, 2, 1), 0.6, 0.6, 800),
        environment=20.0,
    )
    film = film_for(scene)
    tracer.expose_until(film, scene, 0.03, 300.0, 16, 1024)
    counts = film.count.reshape(96, 96)
    assert counts.min() == 16  # empty corners stop at once
    assert counts.max() > 64
    assert set(np.unique(counts)) <= {16 * 2**k for k in range(7)}
    reference = exposed(tracer, scene, 2048, 5).radiance
    covered = film.alpha > 0.99
    assert film.radiance[covered].mean() == pytest.approx(reference[covered].mean(), rel=0.01)
    error = np.abs(film.radiance - reference)[..., 1] / (reference[..., 1] + 6.0)
    assert error[covered].mean() < 0.03
    again = film_for(scene)
    with Tracer(1) as one:
        one.expose_until(again, scene, 0.03, 300.0, 16, 1024)
    assert np.array_equal(film.count, again.count)
    assert np.array_equal(film.sums, again.sums)
    assert noisy_pixels(film, 1e9, 300.0).sum() == 0


def box(size: float) -> Mesh:
    """A cube with hard edges."""
    h = size / 2
    faces = []
    for axis in range(3):
        for sign in (-1.0, 1.0):
            n = np.zeros(3)
            n[axis] = sign
            u = np.roll(np.abs(n), 1)
            w = np.cross(n, u)
            faces.append((n, [h * (n + a * u + b * w) for a, b in ((-1, -1), (1, -1), (1, 1), (-1, 1))]))
    v = np.array([p for _, corners in faces for p in corners], np.float32)
    n = np.array([normal for normal, _ in faces for _ in range(4)], np.float32)
    t = np.array([[4 * f, 4 * f + a, 4 * f + b] for f in range(6) for a, b in ((1, 2), (2, 3))], np.int32)
    return Mesh(v, n, np.zeros((24, 2), np.float32), t, np.zeros(12, np.int32))


def test_rounded_edges_are_those_of_a_rounded_box(tracer: Tracer) -> None:
    """Normals across an edge against the quarter cylinder that a fillet of the same radius is."""
    size, radius = 1.0, 0.1
    mesh = box(size)
    eye = np.array([3.0, 0.0, 3.0])
    camera = look_at(tuple(eye), (0.5, 0, 0.5), 0.05, 96)
    material = diffuse(0.5, edge_radius_m=radius)
    scene = scene_of(mesh, material, camera)
    assert len(scene.geometry.edges.edge) == 12
    normals = exposed(tracer, scene, 64).normal[48]
    # the same rays against the fillet: a cylinder of the radius around (0.4, y, 0.4)
    x = ((np.arange(96) + 0.5) / 96 * 2 - 1) * 0.05
    right, forward = np.array([1, 0, -1]) / math.sqrt(2), np.array([-1, 0, -1]) / math.sqrt(2)
    expected = []
    for offset in x:
        d = forward + offset * right
        d /= np.linalg.norm(d)
        c = eye - [0.4, 0, 0.4]
        b = float(c[[0, 2]] @ d[[0, 2]])
        a = float(d[[0, 2]] @ d[[0, 2]])
        root = b * b - a * (float(c[[0, 2]] @ c[[0, 2]]) - radius**2)
        p = c + d * ((-b - math.sqrt(max(root, 0))) / a)
        n = p / radius
        if root < 0 or n[0] < 0 or n[2] < 0:
            n = np.array([0.0, 0, 1]) if offset < 0 else np.array([1.0, 0, 0])
        expected.append(n)
    angle = np.degrees(
        np.arccos(np.clip((normals * np.array(expected)).sum(axis=1) / np.linalg.norm(normals, axis=1), -1, 1))
    )
    assert angle.mean() < 4.0
    assert angle.max() < 12.0
    flat = exposed(tracer, scene_of(mesh, diffuse(0.5), camera), 16).normal[48]
    assert np.abs(flat[:40, 2]).min() > 0.999  # without a radius it stays hard


def test_hollow_edges_bend_the_other_way() -> None:
    """Floor and wall: near the corner both lean into the room."""
    v = np.array([[0, 0, 0], [1, 0, 0], [1, 0, 1], [0, 0, 1], [0, 0, 0], [0, 0, 1], [0, 1, 1], [0, 1, 0]], np.float32)
    t = np.array([[0, 2, 1], [0, 3, 2], [4, 6, 5], [4, 7, 6]], np.int32)
    first, index, edge = hard_edges(v, t, np.full(4, 0.1, np.float32))
    edges = Edges(first, index, edge)
    values = np.zeros(120)
    values[54] = 0.1
    out = np.zeros(3)
    _bent(edges, 1, (0.02, 0.0, 0.5), (0.0, 1.0, 0.0), values, out)
    assert out[0] > 0.3  # towards +x, away from the wall
    _bent(edges, 1, (0.2, 0.0, 0.5), (0.0, 1.0, 0.0), values, out)
    assert out == pytest.approx([0, 1, 0])


@kernel
def _bent(edges, triangle, p, n, values, out):
    from_edges = rounded_normal(edges, triangle, p, n, n, values)
    out[0], out[1], out[2] = from_edges


def test_a_scattering_ball_loses_nothing_and_takes_its_colour(tracer: Tracer) -> None:
    """White subsurface in an even sky cannot be seen; a colour shows as that colour (van de Hulst's inversion)."""
    camera = look_at((0, 0, 3), (0, 0, 0), 0.14, 16)
    white = Material(
        id="m",
        name="m",
        subsurface_weight=1,
        subsurface_color=(1, 1, 1),
        subsurface_radius_m=0.05,
        subsurface_radius_scale=(1, 1, 1),
        specular_roughness=0.4,
    )
    film = exposed(tracer, scene_of(sphere(0.5, 96), white, camera, environment=1.0, max_bounces=16), 1024)
    assert float(film.radiance[4:12, 4:12].mean()) == pytest.approx(1.0, abs=0.005)
    values = {"subsurface_color": (0.8, 0.5, 0.2), "specular_ior": 1.0, "subsurface_radius_m": 0.004}
    tinted = scene_of(sphere(0.5, 96), white.model_copy(update=values), camera, environment=1.0, max_bounces=4)
    shown = exposed(tracer, tinted, 256).radiance[4:12, 4:12].mean(axis=(0, 1))
    assert shown == pytest.approx([0.8, 0.5, 0.2], abs=0.03)


def test_thin_films_follow_airy() -> None:
    """No film is plain Fresnel; a quarter wave of √n kills the reflection; colours stay neutral without a film."""
    one = np.array([1.0])
    bare = thin_film_reflectance(one, np.array([0.0]), 1.3, 1.5, np.array([550.0]))
    assert bare[0] == pytest.approx(0.04, abs=1e-9)
    n = math.sqrt(1.5)
    quarter = thin_film_reflectance(one, np.array([550 / (4 * n)]), n, 1.5, np.array([550.0]))
    assert quarter[0] == pytest.approx(0.0, abs=1e-9)
    table = thin_film_table(Material(id="m", name="m", thin_film_weight=1, thin_film_ior=1.0))
    assert table[:, -1] == pytest.approx(0.04, abs=0.002)
    coloured = thin_film_table(Material(id="m", name="m", thin_film_weight=1, thin_film_ior=1.8, base_metalness=0))
    assert np.ptp(coloured[:, -1], axis=1).max() > 0.03


def test_distant_maps_are_averaged_not_sampled(tracer: Tracer) -> None:
    """A fine chequerboard far away is even grey with one sample a pixel: nothing crawls when the camera moves."""
    board = np.indices((256, 256)).sum(axis=0) % 2 * 255
    data = png_of(np.repeat(board[..., None], 3, axis=2))
    ref = TextureRef(asset=content_hash(data), name="board", scale_u=64, scale_v=64)
    v = np.array([[-5, 0, -5], [-5, 0, 5], [5, 0, 5], [5, 0, -5]], np.float32)
    uv = np.array([[0, 0], [0, 1], [1, 1], [1, 0]], np.float32)
    mesh = Mesh(
        v, np.tile(np.float32([0, 1, 0]), (4, 1)), uv, np.array([[0, 1, 2], [0, 2, 3]], np.int32), np.zeros(2, np.int32)
    )
    project, assets = project_of(mesh, diffuse(1.0, maps=MaterialMaps(base_color=ref)))
    scene = SceneCompiler((assets | {content_hash(data): data}).__getitem__).compile(moment(project, 1), 32, 32)
    scene = dataclasses.replace(scene, camera=look_at((0, 6, 0.01), (0, 0, 0), 0.5, 32))
    albedo = exposed(tracer, scene, 1).albedo[..., 0]
    assert albedo.mean() == pytest.approx(0.5, abs=0.02)
    assert albedo.std() < 0.03


def test_projected_patterns_need_no_coordinates(tracer: Tracer) -> None:
    """Projected noise varies on a mesh whose texture coordinates are all zero; by coordinates it is one colour."""
    ball = sphere(0.5, 64)
    bare = Mesh(ball.vertices, ball.normals, np.zeros_like(ball.uvs), ball.triangles, ball.part)
    spread = {}
    for projection in ("triplanar", "uv"):
        ref = TextureRef(pattern="noise", name="noise", projection=projection, size_m=0.3)  # type: ignore[arg-type]
        scene = scene_of(bare, diffuse(1.0, maps=MaterialMaps(base_color=ref)), look_at((0, 0, 3), (0, 0, 0), 0.1, 24))
        spread[projection] = float(exposed(tracer, scene, 8).albedo.std())
    assert spread["triplanar"] > 0.03
    assert spread["uv"] < 1e-3


def test_relief_tilts_normals_by_its_slope(tracer: Tracer) -> None:
    """A ramp of height over the map tilts the normal by atan(depth / width)."""
    ramp = np.repeat(np.linspace(0, 255, 256).astype(np.uint8)[None], 256, axis=0)
    data = png_of(np.repeat(ramp[..., None], 3, axis=2))
    v = np.array([[-1, 0, -1], [-1, 0, 1], [1, 0, 1], [1, 0, -1]], np.float32)
    uv = np.array([[0, 0], [0, 1], [1, 1], [1, 0]], np.float32)
    mesh = Mesh(
        v, np.tile(np.float32([0, 1, 0]), (4, 1)), uv, np.array([[0, 1, 2], [0, 2, 3]], np.int32), np.zeros(2, np.int32)
    )
    ref = TextureRef(asset=content_hash(data), name="ramp", wrap="clamp")
    project, assets = project_of(mesh, diffuse(maps=MaterialMaps(height=ref), height_m=0.5))
    scene = SceneCompiler((assets | {content_hash(data): data}).__getitem__).compile(moment(project, 1), 16, 16)
    scene = dataclasses.replace(scene, camera=look_at((0, 4, 0.001), (0, 0, 0), 0.15, 16))
    normal = exposed(tracer, scene, 16).normal[8, 8]
    assert math.degrees(math.atan2(-normal[0], normal[1])) == pytest.approx(math.degrees(math.atan(0.25)), abs=1.0)


def test_deep_glass_keeps_its_light_and_cameras_inside_stay_finite(tracer: Tracer) -> None:
    glass = Material(id="m", name="m", transmission_weight=1, specular_roughness=0.0)
    inside = scene_of(
        sphere(0.5, 96), glass, look_at((0, 0, 0.1), (0, 0, -1), 0.5, 16), environment=1.0, max_bounces=48
    )
    shown = exposed(tracer, inside, 64).radiance
    assert np.isfinite(shown).all()
    assert 0.5 < shown.mean() <= 1.01


def test_a_coat_has_normals_of_its_own(tracer: Tracer) -> None:
    """A map that tilts only the coat by 20° moves only its mirror image: a black base under it stays black."""
    tilt = math.radians(20)
    pixel = np.round((np.array([math.sin(tilt), 0, math.cos(tilt)]) * 0.5 + 0.5) * 255).astype(np.uint8)
    data = png_of(np.tile(pixel, (4, 4, 1)))
    v = np.array([[-1, 0, -1], [-1, 0, 1], [1, 0, 1], [1, 0, -1]], np.float32)
    uv = np.array([[0, 0], [0, 1], [1, 1], [1, 0]], np.float32)
    mesh = Mesh(
        v, np.tile(np.float32([0, 1, 0]), (4, 1)), uv, np.array([[0, 1, 2], [0, 2, 3]], np.int32), np.zeros(2, np.int32)
    )
    # everything below 45° from straight up shines, so a tilted coat sees past the rim of the light on one side
    sky = np.zeros((64, 128, 3), np.float32)
    sky[:16] = 100.0
    shown = {}
    for name in ("coat_normal", "normal", None):
        maps = MaterialMaps(**{name: TextureRef(asset=content_hash(data), name="tilt")} if name else {})
        material = Material(id="m", name="m", base_color=(0, 0, 0), specular_weight=0.0, coat_weight=1.0, maps=maps)
        project, assets = project_of(mesh, material)
        scene = SceneCompiler((assets | {content_hash(data): data}).__getitem__).compile(moment(project, 1), 8, 8)
        plain = scene_of(mesh, diffuse(), look_at((0, 4, 0.001), (0, 0, 0), 0.02, 8), environment=sky)
        # 30° + 2 · 20° lies outside the light, 30° inside it
        camera = look_at((-2.0, 2.0 * math.sqrt(3), 0.0), (0, 0, 0), 0.02, 8)
        scene = dataclasses.replace(scene, lights=plain.lights, environment=plain.environment, camera=camera)
        shown[name] = float(exposed(tracer, scene, 16).radiance.mean())
    assert shown["normal"] == pytest.approx(shown[None], rel=1e-3)
    assert shown[None] > 4.0
    assert shown["coat_normal"] < 1e-3 * shown[None]
