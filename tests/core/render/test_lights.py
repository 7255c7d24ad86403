"""Every shape of light against its closed form, gobos, linking, and what is kept apart on the film."""

import dataclasses
import math

import numpy as np
import pytest
from tests.conftest import diffuse, edited, exposed, item_of, look_at, plane, project_of, scene_of, sphere

from cyclorama.core.geometry.mesh import Mesh
from cyclorama.core.light.rows import light_row, luminance_nit, put_gobo
from cyclorama.core.light.shapes import CASTS, CENTRE, GRID_TAN, NORMAL, REFLECTED
from cyclorama.core.motion import moment
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.tracer import Tracer, film_for
from cyclorama.core.render.trace.wavefront import FrameScene
from cyclorama.core.scene import Environment, Gobo, Light, Material, Passes, Project
from cyclorama.core.textures import BLACK, TextureShelf

AIM = np.zeros(3)
ALBEDO = 0.5
PATCH = look_at((0, 0.6, 0.001), (0, 0, 0), 0.002, 8)
"""Sees a few millimetres of floor around the origin."""


def above(shape: str, distance: float, **values: object) -> np.ndarray:
    """A light straight above the origin (nearly: 89°), facing it."""
    light = Light(id="l", name="L", shape=shape, elevation_deg=89, distance_m=distance, **values)  # type: ignore[arg-type]
    row = light_row(light, AIM, 0.0)
    row[0:3], row[9:12] = (0, distance, 0), (0, -1, 0)
    half_u, half_v = np.linalg.norm(row[3:6]), np.linalg.norm(row[6:9])
    row[3:6], row[6:9] = (half_u, 0, 0), (0, 0, half_v)
    return row[None]


def irradiance(tracer: Tracer, rows: np.ndarray, samples: int = 1024) -> float:
    """E on the floor at the origin: π L / ρ of a Lambertian floor."""
    scene = scene_of(plane(), diffuse(ALBEDO), PATCH, rows, max_bounces=1)
    return float(exposed(tracer, scene, samples).radiance.mean()) * math.pi / ALBEDO


def test_disc_sphere_and_sun(tracer: Tracer) -> None:
    """E = π L sin²θ of a disc that fills the half angle θ (Howell C-39); a sphere and the sun do the same."""
    nit, r, d = 1000.0, 0.4, 0.9
    disc = irradiance(tracer, above("disc", d, width_m=2 * r, power=nit, power_unit="nit"))
    assert disc == pytest.approx(math.pi * nit * r * r / (r * r + d * d), rel=0.01)
    ball = irradiance(tracer, above("sphere", d, width_m=2 * r, power=nit, power_unit="nit"))
    assert ball == pytest.approx(math.pi * nit * r * r / (d * d), rel=0.01)
    sun = irradiance(tracer, above("sun", d, sun_deg=20, power=50_000, power_unit="lx"))
    assert sun == pytest.approx(50_000, rel=0.01)


@pytest.mark.parametrize("opening", [0.5, 0.9])
def test_ring(tracer: Tracer, opening: float) -> None:
    """On the axis E = π L (sin²θ − sin²θ'): of the disc within its edge, less that of its hole (Howell C-39). As much
    flux as a disc has makes a narrower face as much brighter."""
    nit, r, d = 1000.0, 0.4, 0.9
    inner = opening * r
    row = above("ring", d, width_m=2 * r, opening=opening, power=nit, power_unit="nit")
    expected = math.pi * nit * (r * r / (r * r + d * d) - inner**2 / (inner**2 + d * d))
    assert irradiance(tracer, row, 2048) == pytest.approx(expected, rel=0.01)
    flux = luminance_nit(Light(id="l", name="L", shape="ring", width_m=2 * r, opening=opening))
    assert flux * math.pi * math.pi * (r * r - inner**2) == pytest.approx(4000.0)


def test_the_hole_of_a_ring_is_seen_through(tracer: Tracer) -> None:
    """Seen by the camera and in a mirror: as bright between its edges, nothing within and beyond."""
    rows = above("ring", 1.0, width_m=0.8, opening=0.6, power=1000, power_unit="nit", seen_by_camera=True)
    mirror = Material(id="m", name="m", base_metalness=1.0, base_color=(1, 1, 1), specular_roughness=0.0)
    for camera, far, half in (
        (look_at((0, 0.2, 0), (0, 1, 0.0001), 0.36, 65), 0.8, 0.36),
        (look_at((0, 0.5, 0), (0, 0, 0.0001), 0.2, 65), 1.5, 0.2),
    ):
        lit = exposed(tracer, scene_of(plane(), mirror, camera, rows, max_bounces=1), 64).radiance[..., 0]
        across = (np.arange(65) + 0.5) / 65 * 2 - 1
        away, pixel = far * half * np.hypot(*np.meshgrid(across, across)), far * half * 2 / 65
        edge = 2.2 * pixel  # so far a pixel's filter reaches
        assert lit[(away > 0.24 + edge) & (away < 0.4 - edge)] == pytest.approx(1000, rel=1e-3)
        assert np.abs(lit[(away < 0.24 - edge) | (away > 0.4 + edge)]).max() < 1.0


def test_tube(tracer: Tracer) -> None:
    """A thin diffusing tube of length L at distance h, over its middle, as a line source: dE = I' cos²θ dx / r², so
    E = L_v · D / h · (atan(a) + a / (1 + a²)) with a = L / 2h."""
    nit, length, thick, h = 1000.0, 1.0, 0.01, 0.8
    measured = irradiance(tracer, above("tube", h, width_m=length, height_m=thick, power=nit, power_unit="nit"), 2048)
    a = length / (2 * h)
    assert measured == pytest.approx(nit * thick / h * (math.atan(a) + a / (1 + a * a)), rel=0.015)


@pytest.mark.parametrize("angle_deg", [0.0, 12.0, 24.0])
def test_spot_falloff(tracer: Tracer, angle_deg: float) -> None:
    """E = I s(θ) cos θ / d² with the smooth edge s between the inner and the outer cone."""
    d, intensity, cone, edge = 2.0, 800.0, 56.0, 0.5
    row = above("spot", d, width_m=0.01, cone_deg=cone, edge=edge, power=intensity, power_unit="cd")
    x = d * math.tan(math.radians(angle_deg))
    row[:, CENTRE] = x
    row[:, NORMAL : NORMAL + 3] = (0, -1, 0)
    inner, outer = math.cos(math.radians(cone / 2 * (1 - edge))), math.cos(math.radians(cone / 2))
    c = math.cos(math.radians(angle_deg))
    t = min(max((c - outer) / (inner - outer), 0), 1)
    expected = intensity * t * t * (3 - 2 * t) * c * (c / d) ** 2
    assert irradiance(tracer, row) == pytest.approx(expected, rel=0.012)


def test_a_grid_narrows_the_beam(tracer: Tracer) -> None:
    row = above("disc", 2.0, width_m=0.02, power=1000, power_unit="nit")
    open_row, grid = row.copy(), row.copy()
    grid[:, GRID_TAN] = math.tan(math.radians(30))
    for x, share in (
        (0.0, 1.0),
        (2 * math.tan(math.radians(15)), 1 - math.tan(math.radians(15)) / math.tan(math.radians(30))),
        (1.4, 0.0),
    ):
        open_row[:, 0] = grid[:, 0] = x
        assert irradiance(tracer, grid) == pytest.approx(share * irradiance(tracer, open_row), rel=0.01, abs=1e-6)


def test_penumbra_of_the_sun(tracer: Tracer) -> None:
    """The edge of a shadow thrown from height h spreads over 2 h tan(a): half is reached in its middle."""
    h, sun_deg = 1.0, 10.0
    blind = plane(8.0, h)
    blind = Mesh(blind.vertices + np.float32([4, 0, 0]), blind.normals, blind.uvs, blind.triangles, blind.part)
    floor = plane(8.0)
    both = Mesh(
        *(np.concatenate([getattr(floor, f), getattr(blind, f)]) for f in ("vertices", "normals", "uvs")),
        np.concatenate([floor.triangles, blind.triangles + 4]),
        np.zeros(4, np.int32),
    )
    camera = look_at((-0.001, 0.9, 0.001), (0, 0, 0), 0.25, 64)
    scene = scene_of(
        both, diffuse(), camera, above("sun", 1.0, sun_deg=sun_deg, power=1000, power_unit="lx"), max_bounces=0
    )
    profile = exposed(tracer, scene, 256).radiance[..., 0].mean(axis=0)
    profile = profile / profile.max()
    x = ((np.arange(64) + 0.5) / 64 * 2 - 1) * 0.25 * 0.9
    wide = 2 * h * math.tan(math.radians(sun_deg / 2))
    lit, dark = x[profile > 0.99].max(), x[profile < 0.01].min()
    assert dark - lit == pytest.approx(wide, rel=0.15)
    assert np.interp(0.5, profile[::-1], x[::-1]) == pytest.approx(0.0, abs=0.03 * wide)


def test_strategies_agree_for_every_shape(tracer: Tracer) -> None:
    """Aimed at or only met by chance: the same picture on a glossy floor."""
    glossy = Material(id="m", name="m", base_color=(0.6, 0.6, 0.6), specular_roughness=0.25)
    for shape in ("rectangle", "disc", "ring", "sphere", "tube", "spot"):
        row = above(shape, 1.0, width_m=0.9, height_m=0.4, power=500, power_unit="nit", cone_deg=120, edge=0.6)
        scene = scene_of(plane(), glossy, look_at((0, 1, 1.2), (0, 0, 0), 0.1, 12), row, max_bounces=1)
        means = []
        for pick in ([0, 1, 1, 1], [0, 0, 0, 0]):
            lit = dataclasses.replace(scene, lights=scene.lights._replace(pick=np.float32(pick)))
            runs = [float(exposed(tracer, lit, 1024, seed).radiance.mean()) for seed in range(5)]
            means.append((np.mean(runs), np.std(runs, ddof=1) / math.sqrt(5)))
        (a, ea), (b, eb) = means
        assert abs(a - b) < 4 * math.hypot(ea, eb) + 0.004 * a, shape


def test_glowing_meshes_are_aimed_at(tracer: Tracer) -> None:
    """A small glowing ball lights the floor by π L r² / d² with few samples, and the same without being aimed at."""
    ball, floor = sphere(0.1, 48), plane()
    both = Mesh(
        np.concatenate([ball.vertices + np.float32([0, 1, 0]), floor.vertices]),
        np.concatenate([ball.normals, floor.normals]),
        np.concatenate([ball.uvs, floor.uvs]),
        np.concatenate([ball.triangles, floor.triangles + len(ball.vertices)]),
        np.concatenate([np.zeros(len(ball.triangles), np.int32), np.ones(2, np.int32)]),
    )
    project, assets = project_of(both, diffuse(ALBEDO))
    glow = Material(id="glow", name="Glow", base_color=(0, 0, 0), specular_weight=0, emission_luminance=5000)
    item = item_of(project.items[0].asset, ("Ball", "glow"), ("Floor", "m"))
    project = edited(project, {"materials": (*project.materials, glow), "items": (item,)})
    scene = SceneCompiler(assets.__getitem__).compile(moment(project, 1), 8, 8)
    assert len(scene.lights.mesh_triangle) == len(ball.triangles)
    film = exposed(tracer, dataclasses.replace(scene, camera=PATCH, max_bounces=1), 256)
    expected = math.pi * 5000 * 0.01
    assert float(film.radiance.mean()) * math.pi / ALBEDO == pytest.approx(expected, rel=0.02)
    noise = float(film.radiance[..., 0].std() / film.radiance[..., 0].mean())
    assert noise < 0.05


def test_a_gobo_throws_its_picture_the_right_way_round(tracer: Tracer) -> None:
    """White only in one quarter of the mask; a parallel beam throws it there, a shift moves it, softness blurs it."""
    pixels = np.zeros((64, 64, 4), np.uint8)
    pixels[:32, :32] = 255  # top left
    row = above("rectangle", 1.0, width_m=1.0, height_m=1.0, power=1000, power_unit="nit")

    def thrown(gobo: Gobo) -> np.ndarray:
        shelf = TextureShelf()
        lit = row.copy()
        put_gobo(lit[0], gobo, shelf.row("q", lambda: pixels, False, BLACK))
        lit[:, GRID_TAN] = math.tan(math.radians(4))  # a tight grid: every point is lit from straight above
        camera = look_at((0, 0.9, 0.0), (0, 0, 0), 0.55, 32)
        scene = scene_of(plane(), diffuse(1.0), camera, lit, max_bounces=0)
        scene = dataclasses.replace(scene, lights=scene.lights._replace(gobos=shelf.arrays()))
        return exposed(tracer, scene, 64).radiance[..., 0]

    picture = thrown(Gobo(projection="parallel", softness=0.0))
    quarters = [picture[:15, :15].mean(), picture[:15, 17:].mean(), picture[17:, :15].mean(), picture[17:, 17:].mean()]
    assert max(quarters) > 50 * sorted(quarters)[-2] + 1e-9
    soft = thrown(Gobo(projection="parallel", softness=0.6))
    assert (soft > 0.02 * soft.max()).mean() > 1.3 * (picture > 0.02 * picture.max()).mean()
    tiled = thrown(Gobo(projection="parallel", softness=0.0, scale=0.5))
    assert tiled.max() > 0


def studio(**light: object) -> tuple[FrameScene, SceneCompiler, Project]:
    ball = sphere(0.3, 48)
    project, assets = project_of(ball, diffuse(0.6))
    first = Light(id="a", name="A", azimuth_deg=40, distance_m=1.5, **light)  # type: ignore[arg-type]
    lights = (first, Light(id="b", name="B", azimuth_deg=-60, distance_m=2))
    project = edited(project, {"look/lights": lights, "camera/distance_m": 2.0, "aim": 0.0})
    compiler = SceneCompiler(assets.__getitem__)
    return compiler.compile(moment(project, 1), 48, 48), compiler, project


def test_linking_shadows_and_reflections(tracer: Tracer) -> None:
    scene, _, _ = studio()
    both = exposed(tracer, scene, 64).radiance.mean()
    spared, _, _ = studio(excluded_parts=("part",))
    alone, _, _ = studio(on=False)
    assert exposed(tracer, spared, 64).radiance.mean() == pytest.approx(
        exposed(tracer, alone, 64).radiance.mean(), rel=0.02
    )
    assert exposed(tracer, spared, 64).radiance.mean() < 0.9 * both
    # a light that casts no shadows also lights what is turned towards it behind something
    blind = plane(8.0, 0.5)
    floor = plane(8.0)
    stacked = Mesh(
        *(np.concatenate([getattr(floor, f), getattr(blind, f)]) for f in ("vertices", "normals", "uvs")),
        np.concatenate([floor.triangles, blind.triangles + 4]),
        np.zeros(4, np.int32),
    )
    row = above("disc", 2.0, width_m=0.5, power=1000, power_unit="nit")
    camera = look_at((0, 0.3, 0.001), (0, 0, 0), 0.01, 8)
    dark = exposed(tracer, scene_of(stacked, diffuse(), camera, row, max_bounces=0), 64).radiance.mean()
    row[:, CASTS] = 0
    lit = exposed(tracer, scene_of(stacked, diffuse(), camera, row, max_bounces=0), 64).radiance.mean()
    assert dark == 0
    assert lit > 0
    # a mirror does not show a light that is not seen in reflections
    mirror = Material(id="m", name="m", base_metalness=1, specular_roughness=0)
    row[:, CASTS] = 1
    shown = exposed(
        tracer, scene_of(plane(), mirror, look_at((0, 1, 0.001), (0, 0, 0), 0.3, 8), row), 16
    ).radiance.mean()
    row[:, REFLECTED] = 0
    hidden = exposed(
        tracer, scene_of(plane(), mirror, look_at((0, 1, 0.001), (0, 0, 0), 0.3, 8), row), 16
    ).radiance.mean()
    assert shown > 0
    assert hidden == 0


def test_layers_add_up_to_the_picture(tracer: Tracer) -> None:
    """Every light apart, and every component apart: both sum to the beauty within 1e-5."""
    _, compiler, project = studio()
    wanted = Passes(wanted=("lights", "components"))
    glossy = Material(id="m", name="m", base_color=(0.5, 0.4, 0.3), specular_roughness=0.3, transmission_weight=0.4)
    project = edited(project, {"shot/shoot/passes": wanted, "materials": (glossy,)})
    scene = compiler.compile(moment(project, 1), 48, 48, keep="passes")
    film = film_for(scene)
    tracer.expose(film, scene, 32)
    lights = [name for name in film.layers if name.startswith("light ")]
    parts = [name for name in film.layers if not name.startswith("light ")]
    assert lights == ["light A", "light B", "light glow", "light environment"]
    for names in (lights, parts):
        total = sum(film.layer(name).astype(np.float64) for name in names)
        assert np.abs(total - film.radiance).max() < 1e-5 * film.radiance.max()
    assert film.layer("light A").mean() != pytest.approx(film.layer("light B").mean(), rel=0.05)
    for name in ("direct diffuse", "direct specular", "indirect transmission"):
        assert film.layer(name).mean() > 0, name
    # doubling one light is doubling its layer
    brighter = edited(project, look__lights__a__strength_stops=1.0)
    again = film_for(scene)
    tracer.expose(again, compiler.compile(moment(brighter, 1), 48, 48, keep="passes"), 512)
    base = film_for(scene)
    tracer.expose(base, scene, 512)
    rebalanced = base.radiance + base.layer("light A")
    assert np.abs(rebalanced - again.radiance).mean() < 0.03 * again.radiance.mean()


def test_clamping_is_of_indirect_light_only_and_reported(tracer: Tracer) -> None:
    _, compiler, project = studio()
    glass = Material(id="m", name="m", transmission_weight=1, specular_roughness=0.1)
    values = {"materials": (glass,), "shot/shoot/clamp_indirect": 1.0, "look/tone/ev100": -4.0}
    project = edited(project, values)
    scene = compiler.compile(moment(project, 1), 48, 48)
    film = film_for(scene)
    tracer.expose(film, scene, 16)
    assert film.clamped_share > 0
    free = film_for(scene)
    tracer.expose(free, dataclasses.replace(scene, recording=scene.recording._replace(clamp=0.0)), 16)
    assert free.clamped_share == 0
    lost = float((free.radiance - film.radiance).mean(axis=(0, 1)) @ [0.2126, 0.7152, 0.0722])
    assert lost / float(free.radiance.mean(axis=(0, 1)) @ [0.2126, 0.7152, 0.0722]) == pytest.approx(
        film.clamped_share, rel=1e-3
    )


def test_sky_lights_the_floor_with_its_sun(tracer: Tracer) -> None:
    project, assets = project_of(plane(), diffuse(1.0))
    env = Environment(kind="sky")
    project = edited(project, look__environment=env)
    scene = dataclasses.replace(
        SceneCompiler(assets.__getitem__).compile(moment(project, 1), 8, 8), camera=PATCH, max_bounces=0
    )
    assert len(scene.lights.rows) == 1
    lux = float(exposed(tracer, scene, 256).radiance.mean()) * math.pi
    assert 30_000 < lux < 90_000
    overcast = env.model_copy(update={"sky": env.sky.model_copy(update={"sun": False})})
    scene = SceneCompiler(assets.__getitem__).compile(moment(edited(project, look__environment=overcast), 1), 8, 8)
    assert len(scene.lights.rows) == 0


@pytest.mark.parametrize("density", [0.0, 0.35, 1.0])
def test_a_shadow_holds_back_as_much_as_it_is_told(tracer: Tracer, density: float) -> None:
    """Under a cover (1 − density) · tint of the light arrives, beside it all; a cover counts when it is near enough."""
    cover = plane(8.0, 0.5)
    floor = plane(8.0)
    stacked = Mesh(
        *(np.concatenate([getattr(floor, f), getattr(cover, f)]) for f in ("vertices", "normals", "uvs")),
        np.concatenate([floor.triangles, cover.triangles + 4]),
        np.zeros(4, np.int32),
    )
    tint = np.array([1.0, 0.5, 0.25])
    camera = look_at((0, 0.3, 0.001), (0, 0, 0), 0.01, 8)

    def under(mesh: Mesh, **light: object) -> np.ndarray:
        row = above("disc", 2.0, width_m=0.5, power=1000, power_unit="nit", **light)
        picture = exposed(tracer, scene_of(mesh, diffuse(), camera, row, max_bounces=0), 512).radiance
        return np.asarray(picture, np.float64).mean(axis=(0, 1))

    lifted = {"shadow_density": density, "shadow_tint": tuple(tint)}
    whole = under(floor)
    assert under(floor, **lifted) == pytest.approx(whole, rel=0.02)
    assert under(stacked, **lifted) == pytest.approx((1 - density) * tint * whole, rel=0.04, abs=1e-9)
    assert under(stacked, **lifted, shadow_reach_m=0.4) == pytest.approx(whole, rel=0.02)
    assert under(stacked, **lifted, shadow_reach_m=0.6) == pytest.approx(
        (1 - density) * tint * whole, rel=0.04, abs=1e-9
    )
