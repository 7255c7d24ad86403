"""Haze against closed forms, and against walks that find every light by chance."""

import dataclasses
import math
from collections.abc import Callable

import numpy as np
import pytest
from numpy.typing import NDArray
from scipy.integrate import quad
from tests.conftest import diffuse, edited, exposed, look_at, plane, rect, scene_of, sphere

from cyclorama.core.framing import Projection
from cyclorama.core.kernel import from_python
from cyclorama.core.light.shapes import AREA, COS_INNER, COS_OUTER, DISC, GRID_TAN, KIND, RADIUS, REACH, SPHERE, SPOT
from cyclorama.core.motion import moment
from cyclorama.core.picture.exr import read_layers
from cyclorama.core.picture.relight import gains
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.compile.haze import air_of
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.render.passes.outputs import pass_files
from cyclorama.core.render.trace.arrays import AIR, KINDS_OF_LIGHT
from cyclorama.core.render.trace.haze import Air, phase, phase_cosine, transmittance, unevenness
from cyclorama.core.render.trace.wavefront import FrameScene
from cyclorama.core.scene import new_project

F64 = NDArray[np.float64]


def air(**fields: object) -> Air:
    """Haze with some fields of the document, in its first frame."""
    values = {"on": True, "colour": (1.0, 1.0, 1.0), "forward": 0.0, "reach_m": 20.0} | fields
    return air_of(moment(edited(new_project("Haze"), {f"set/haze/{name}": x for name, x in values.items()}), 1))


def with_air(scene: FrameScene, **fields: object) -> FrameScene:
    return dataclasses.replace(scene, air=air(**fields))


def ball_light(centre: tuple[float, float, float], radius: float, nit: float) -> np.ndarray:
    row = rect(centre, 1, 1, nit)
    row[0, KIND], row[0, RADIUS], row[0, REACH], row[0, AREA] = SPHERE, radius, radius, 4 * math.pi * radius**2
    return row


FIELDS = {
    "even": {"path_m": 1.0, "reach_m": 1.5},
    "on the floor": {"path_m": 0.7, "where": "floor", "height_m": 0.4, "thinning_m": 0.3},
    "in a box": {"path_m": 0.5, "where": "box", "box_y_m": 0.2, "box_width_m": 1.0, "box_depth_m": 0.5},
    "uneven": {"path_m": 0.6, "grain": 0.9, "grain_m": 0.2, "reach_m": 1.2},
}


def density_at(a: Air, p: F64) -> F64:
    """Density at points (n, 3) as the document says it."""
    density = a.density * np.exp(-np.maximum(p[:, 1] - a.top, 0.0) / a.thinning)
    if not a.grain:
        return density
    # the first frame: nothing has drifted
    places, n = p * a.per_tile * len(a.noise), np.zeros(len(p))
    first = np.floor(places).astype(int)
    for corner in np.ndindex(2, 2, 2):
        share = np.prod(1.0 - np.abs(places - first - corner), axis=1)
        n += share * a.noise[tuple(((first + corner) % len(a.noise)).T)]
    return density * (1.0 + a.grain * n)


def depth_by_steps(a: Air, o: F64, d: F64, reach: float, steps: int = 20000) -> float:
    """Optical depth by small steps."""
    t = (np.arange(steps) + 0.5) * reach / steps
    p = o + t[:, None] * d
    within = np.all((p >= a.low) & (p <= a.high), axis=1)
    return float((density_at(a, p) * within).sum() * reach / steps)


@pytest.mark.parametrize("name", FIELDS)
def test_transmittance(name: str) -> None:
    """exp(−∫ σ ds) along rays that rise, fall and lie; in uneven haze as the mean of many estimates."""
    a, passes = air(**FIELDS[name]), from_python(transmittance)
    for direction in ((0.2, 0.9, 0.1), (1.0, 0.0, 0.0), (-0.3, -0.4, 0.8)):
        o, d = np.array([-0.1, 0.45, -0.2]), np.array(direction) / np.linalg.norm(direction)
        expected = math.exp(-depth_by_steps(a, o, d, 1.7))
        count = 4000 if a.grain else 1
        found = np.array([passes(a, tuple(o), tuple(d), 1.7, np.uint32(7919 * k + 1)) for k in range(count)])
        error = 4 * found.std() / math.sqrt(count)
        assert float(found.mean()) == pytest.approx(expected, abs=error + 1e-3)
        assert a.grain or found.std() == 0


def test_phase_function() -> None:
    """It is normalised, its mean cosine is g, and directions are drawn by it."""
    at, drawn = from_python(phase), from_python(phase_cosine)
    c = np.linspace(-1, 1, 20001)
    for g in (-0.6, 0.0, 0.8):
        p = np.array([at(g, x) for x in c]) * 2 * math.pi
        assert float(np.trapezoid(p, c)) == pytest.approx(1.0, abs=1e-4)
        assert float(np.trapezoid(p * c, c)) == pytest.approx(g, abs=1e-4)
        cosines = np.array([drawn(g, (k + 0.5) / 4096) for k in range(4096)])
        assert float(cosines.mean()) == pytest.approx(g, abs=1e-3)


def airlight(beta: float, distance: float, gamma: float, intensity: float, wall: float) -> float:
    """In-scattered radiance of a point light in even haze that scatters to all sides (Sun, Ramamoorthi, Narasimhan and
    Nayar, "A Practical Analytic Single Scattering Model for Real Time Rendering", SIGGRAPH 2005, equations 10 to 12).

    distance: viewer to light; gamma: angle between the ray and the light; wall: where the ray ends.
    """
    sv, vp = beta * distance, beta * wall

    def special(u: float, v: float) -> float:
        return quad(lambda x: math.exp(-u * math.tan(x)), 0.0, v)[0]

    a0 = beta * intensity * math.exp(-sv * math.cos(gamma)) / (2 * math.pi * distance * math.sin(gamma))
    a1 = sv * math.sin(gamma)
    end = math.pi / 4 + 0.5 * math.atan((vp - sv * math.cos(gamma)) / (sv * math.sin(gamma)))
    return a0 * (special(a1, end) - special(a1, gamma / 2))


@pytest.mark.parametrize(("gamma", "path_m"), [(0.5, 4.0), (0.15, 1.5), (1.2, 10.0)])
def test_light_of_a_point_light(tracer: Tracer, gamma: float, path_m: float) -> None:
    radius, nit, distance = 0.01, 4e6, 2.0
    light = ball_light((math.sin(gamma) * distance, 5.0, -math.cos(gamma) * distance), radius, nit)
    black = scene_of(plane(60.0, 0.0), diffuse(0.0), look_at((0, 5, 0), (0, 5, -1), 1e-4, 4), light, max_bounces=0)
    film = exposed(tracer, with_air(black, path_m=path_m, reach_m=200.0), 4096)
    expected = airlight(1 / path_m, distance, gamma, nit * math.pi * radius**2, 200.0)
    assert float(film.radiance.mean()) == pytest.approx(expected, rel=0.01)


@pytest.mark.parametrize("grid", [False, True])
def test_light_of_a_spot(tracer: Tracer, grid: bool) -> None:
    """A spot with a soft edge, or a panel behind a honeycomb, whose beam crosses the view: by quadrature along it."""
    radius, nit, path_m, eye = 0.005, 4e6, 3.0, np.array([-0.6, 1.0, 1.5])
    inner, outer = math.cos(0.25), math.cos(0.4)
    row = rect((0.0, 2.5, 0.0), 2 * radius, 2 * radius, nit)
    row[0, KIND], row[0, AREA] = DISC if grid else SPOT, math.pi * radius**2
    row[0, GRID_TAN], row[0, COS_OUTER], row[0, COS_INNER] = math.tan(0.4) if grid else 0.0, outer, inner
    at = np.array([0.1, 0.9, 0.0])
    scene = scene_of(plane(60.0), diffuse(0.0), look_at(tuple(eye), tuple(at), 1e-4, 4), row, max_bounces=0)
    film = exposed(tracer, with_air(scene, path_m=path_m, reach_m=3.0, forward=0.5), 4096)
    d = (at - eye) / np.linalg.norm(at - eye)
    step = eye[1] / -d[1] / 200_000
    p = eye + ((np.arange(200_000) + 0.5) * step)[:, None] * d
    w = p - [0.0, 2.5, 0.0]
    r = np.linalg.norm(w, axis=1)
    c = -w[:, 1] / r
    edge = np.clip((c - outer) / (inner - outer), 0, 1)
    sent = edge * edge * (3 - 2 * edge)
    if grid:
        sent = c * np.clip(1 - np.sqrt(1 / np.maximum(c * c, 1e-9) - 1) / math.tan(0.4), 0, 1) * (c > 0)
    turned = -(w / r[:, None]) @ d
    scattering = 0.75 / (4 * math.pi * (1.25 - turned) ** 1.5)
    inside = np.all(np.abs(p) < 3.0, axis=1)
    light = inside * sent * scattering / r**2 * np.exp(-(np.cumsum(inside) * step + r) / path_m)
    expected = nit * math.pi * radius**2 / path_m * light.sum() * step
    assert float(film.radiance.mean()) == pytest.approx(expected, rel=0.01)


def test_layers_add_up_and_alpha_is_what_haze_hides(tracer: Tracer) -> None:
    """Each light's layer has its share of the haze, which is a layer of its own as well; where nothing is behind it,
    alpha is 1 − exp(−τ) of the way through it."""
    values = {
        "set/haze/on": True, "set/haze/path_m": 4.0, "set/haze/reach_m": 3.0, "set/sweep/on": False,
        "set/disc/on": False, "shot/shoot/passes/wanted": ("lights", "components", "air"),
        "shot/shoot/denoise": False, "shot/shoot/width": 48, "shot/shoot/height": 27,
    }  # fmt: skip
    here, compiler = moment(edited(new_project("Haze"), values), 1), SceneCompiler(lambda _: b"")
    film = exposed(tracer, compiler.compile(here, 48, 27, keep="passes"), 64)
    for names in (KINDS_OF_LIGHT, [name for name in film.layers if name not in KINDS_OF_LIGHT]):
        assert np.allclose(sum(film.layer(name) for name in names), film.radiance, rtol=1e-4, atol=1e-3)
    assert np.allclose(film.layer(AIR), film.radiance, rtol=1e-4, atol=1e-3)
    assert film.radiance.min() > 0
    assert not film.coverage.any()
    lens = Projection.of(here.camera, 48, 27)
    x, y = np.meshgrid(((np.arange(48) + 0.5) / 24 - 1) * lens.half_w, (1 - (np.arange(27) + 0.5) / 13.5) * lens.half_h)
    d = np.stack([x, y, -np.ones_like(x)], axis=-1) @ here.around.cameras[0][:3, :3].T
    d /= np.linalg.norm(d, axis=-1, keepdims=True)
    eye = here.around.cameras[0][:3, 3]
    planes = np.stack([([-3.0, 0.0, -3.0] - eye) / d, (3.0 - eye) / d])
    way = planes.max(axis=0).min(axis=-1) - np.maximum(planes.min(axis=0).max(axis=-1), 0.0)
    assert np.abs(film.alpha - (1 - np.exp(-way / 4.0))).max() < 0.02
    files = {file.name: file.data for file in pass_files(here, film, film.radiance, compiler, tracer)}
    assert np.allclose(read_layers(files["air"], "air")["air.A"], film.veil, atol=1e-3)


@pytest.mark.parametrize("name", FIELDS)
def test_white_furnace(tracer: Tracer, name: str) -> None:
    """A white ball in haze that absorbs nothing, in an even environment: neither can be seen."""
    camera = look_at((0, 0.5, 3), (0, 0.5, 0), 0.3, 16)
    scene = scene_of(sphere(0.4), diffuse(1.0), camera, environment=1.0, max_bounces=200)
    film = exposed(tracer, with_air(scene, **FIELDS[name]), 1024)
    seen = film.radiance + (1.0 - film.alpha[..., None])
    assert float(seen.mean()) == pytest.approx(1.0, abs=0.004)
    assert np.abs(seen.reshape(4, 4, 4, 4, 3).mean(axis=(1, 3, 4)) - 1.0).max() < 0.02


Source = Callable[[F64, F64, F64], F64]
"""Radiance that a ray meets: from origins (n, 3) along directions (n, 3) up to distances (n,)."""


def walked(a: Air, source: Source, beyond: Callable[[F64], F64], eye: F64, d: F64, floor: float, paths: int) -> F64:
    """Radiances (paths,) by walks from the eye over a floor of some albedo, which meet all lights by chance."""
    random = np.random.default_rng(3)
    o, d = np.tile(eye, (paths, 1)), np.tile(d / np.linalg.norm(d), (paths, 1))
    seen, weight = np.zeros(paths), np.ones(paths)
    for _ in range(24):
        with np.errstate(divide="ignore", invalid="ignore"):
            ground = np.where(d[:, 1] < 0, -o[:, 1] / d[:, 1], np.inf)
            planes = np.stack([(a.low - o) / d, (a.high - o) / d])
        near = np.maximum(np.nanmax(planes.min(axis=0), axis=1), 0.0)
        far = np.minimum(np.nanmin(planes.max(axis=0), axis=1), ground)
        # delta tracking with the largest density there is
        most = a.density * (1.0 + a.grain)
        t, scattered, going = near.copy(), np.zeros(paths, bool), (near < far) & (weight > 0)
        while going.any():
            t[going] += random.exponential(1.0 / most, going.sum())
            going &= t < far
            p = o + t[:, None] * d
            hit = going & (random.random(paths) * most < density_at(a, p))
            scattered |= hit
            going &= ~hit
        end = np.where(scattered, t, ground)
        lit = weight > 0
        seen[lit] += (weight * source(o, d, end))[lit]
        gone = lit & np.isinf(end)
        seen[gone] += (weight * beyond(d))[gone]
        weight[gone] = 0.0
        o = np.where(np.isfinite(end)[:, None], o + np.where(np.isfinite(end), end, 0.0)[:, None] * d, o)
        u, v = random.random((2, paths))
        g = a.forward
        c = (1 + g * g - ((1 - g * g) / (1 - g + 2 * g * u)) ** 2) / (2 * g) if g else 1 - 2 * u
        d = np.where(scattered[:, None], _turned(d, c, v), _turned(np.tile([0.0, 1.0, 0.0], (paths, 1)), np.sqrt(u), v))
        weight *= np.where(scattered, float(a.albedo[0]), floor)
        o[~scattered, 1] = 1e-6
    return seen


def _turned(axis: F64, cosine: F64, turns: F64) -> F64:
    """Directions at an angle from axes (n, 3)."""
    other = np.where(np.abs(axis[:, :1]) > 0.9, [[0.0, 1.0, 0.0]], [[1.0, 0.0, 0.0]])
    x = np.cross(axis, other)
    x /= np.linalg.norm(x, axis=1, keepdims=True)
    y, s = np.cross(axis, x), np.sqrt(np.maximum(1 - cosine**2, 0.0))
    around = 2 * math.pi * turns
    return cosine[:, None] * axis + (s * np.cos(around))[:, None] * x + (s * np.sin(around))[:, None] * y


def ball_source(centre: tuple[float, float, float], radius: float, nit: float) -> Source:
    def radiance(o: F64, d: F64, end: F64) -> F64:
        w = np.array(centre) - o
        along = (w * d).sum(axis=1)
        under = radius**2 - ((w * w).sum(axis=1) - along**2)
        t = along - np.sqrt(np.maximum(under, 0.0))
        return np.where((under > 0) & (t > 0) & (t < end), nit, 0.0)

    return radiance


def panel_source(centre: tuple[float, float, float], width: float, depth: float, nit: float) -> Source:
    """A panel that shines down."""

    def radiance(o: F64, d: F64, end: F64) -> F64:
        with np.errstate(divide="ignore", invalid="ignore"):
            t = (centre[1] - o[:, 1]) / d[:, 1]
        p = o + np.where(np.isfinite(t), t, 0.0)[:, None] * d
        on = (np.abs(p[:, 0] - centre[0]) < width / 2) & (np.abs(p[:, 2] - centre[2]) < depth / 2)
        return np.where(on & (d[:, 1] > 0) & (t > 0) & (t < end), nit, 0.0)

    return radiance


DARK: Callable[[F64], F64] = lambda d: np.zeros(len(d))  # noqa: E731
BALL = ((0.4, 0.9, -1.0), 0.35, 50.0)
PANEL = ((0.0, 1.4, -1.0), 1.2, 0.8, 80.0)
SCENES = {
    "ball": (ball_light(*BALL), ball_source(*BALL), None, {"path_m": 1.5, "reach_m": 4.0}),
    "panel": (rect(*PANEL), panel_source(*PANEL), None, {"path_m": 2.0, "reach_m": 3.0, "forward": 0.6}),
    "half a sky": (None, None, 6.0, {"path_m": 1.0, "reach_m": 2.0, "forward": -0.3}),
    "on the floor": (
        rect(*PANEL), panel_source(*PANEL), None,
        {"path_m": 0.5, "reach_m": 3.0, "where": "floor", "height_m": 0.3, "thinning_m": 0.2},
    ),
    "in a box": (
        ball_light(*BALL), ball_source(*BALL), None,
        {"path_m": 0.4, "where": "box", "box_width_m": 1.5, "box_height_m": 0.8, "box_z_m": -1.0, "box_depth_m": 1.0},
    ),
    "uneven": (
        ball_light(*BALL), ball_source(*BALL), None,
        {"path_m": 1.0, "reach_m": 2.0, "grain": 0.8, "grain_m": 0.15, "colour": (0.7, 0.7, 0.7)},
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", SCENES)
def test_agrees_with_walks(tracer: Tracer, name: str) -> None:
    """All orders of scattering, between haze and a grey floor."""
    lights, source, sky, fields = SCENES[name]
    eye, at = (0.1, 0.5, 1.2), (0.0, 0.42, -1.0)
    picture = None
    if sky is not None:
        picture = np.zeros((64, 128, 3), np.float32)
        picture[:, 64:] = sky
    given = lights if lights is not None else np.zeros((0, rect(*PANEL).shape[1]), np.float32)
    camera = look_at(eye, at, 1e-4, 4)
    scene = scene_of(plane(200.0), diffuse(0.4), camera, given, environment=picture, max_bounces=23)
    scene = dataclasses.replace(scene, lights=scene.lights._replace(env_seen=sky is not None))
    film = exposed(tracer, with_air(scene, **fields), 8192)
    beyond = DARK if sky is None else (lambda d: np.where(d[:, 0] > 0, sky, 0.0))
    nothing: Source = lambda o, d, end: np.zeros(len(o))  # noqa: E731
    count = 60_000 if "grain" in fields else 120_000
    seen = walked(air(**fields), source or nothing, beyond, np.array(eye), np.array(at) - eye, 0.4, count)
    error = 4 * seen.std() / math.sqrt(count)
    assert error < 0.1 * seen.mean()
    # lights are seen by walks, and by the camera where it looks at them: it looks beside them
    assert float(film.radiance.mean()) == pytest.approx(float(seen.mean()), abs=error + 0.01 * seen.mean())


def test_drift_leads_the_last_frame_of_a_loop_to_its_first() -> None:
    """Swathes move from frame to frame, by less than their size; the frame after the last is the first."""
    fields = {"on": True, "grain": 0.8, "grain_m": 0.3, "drift_m": 0.6, "drift_deg": 90.0}
    project = edited(new_project("Haze"), {f"set/haze/{k}": x for k, x in fields.items()}, move="spin", shot__frames=48)
    factor, places = from_python(unevenness), np.random.default_rng(1).uniform(-1, 1, (400, 3))

    def field(frame: int) -> F64:
        a = air_of(moment(project, frame))
        return np.array([factor(a, *map(float, p)) for p in places])

    first, second, middle, last = field(1), field(2), field(25), field(48)
    assert np.array_equal(field(49), first)
    steps = [float(np.abs(a - b).mean()) for a, b in ((first, second), (last, first))]
    assert 0 < max(steps) < 0.5 * float(np.abs(first - middle).mean())
    assert steps[1] == pytest.approx(steps[0], rel=0.5)
    assert float(middle.std()) == pytest.approx(float(first.std()), rel=0.35)
    assert gains(moment(project, 1), moment(project, 2)) is None
