"""One projection: what the tracer sees through a lens that distorts is where everything else says it is."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.conftest import diffuse, edited, exposed, project_of, sphere

from cyclorama.core.framing import Projection, View, fit_subject, frame_margins, set_edges
from cyclorama.core.geometry.cache_keys import content_hash
from cyclorama.core.geometry.measure import measure, placed_hull
from cyclorama.core.geometry.mesh import Mesh, join
from cyclorama.core.motion import moment
from cyclorama.core.picture.exr import encode_exr
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.scene import Camera, Environment, Project, Row, Segment

BENDS = [-0.5, -0.2, 0.0, 0.2, 0.5]
LENSES = [(-0.4, 0.0, 0.0), (0.4, 0.0, 0.0), (0.0, 0.25, -0.2), (-0.3, -0.15, 0.3)]
"""distortion, shift across, shift up"""


def shifted(lens: tuple[float, float, float]) -> dict[str, float]:
    return dict(zip(("camera/distortion", "camera/shift_x", "camera/shift_y"), lens, strict=True))


def through(distortion: float, mesh: Mesh, **values: object) -> tuple[Project, dict[str, bytes]]:
    """A wide lens on a mesh, in a bare studio."""
    project, assets = project_of(mesh, diffuse(0.6))
    given = {
        "camera/distortion": distortion,
        "camera/focal_mm": 22.0,
        "camera/elevation_deg": 15.0,
        "shot/shoot/width": 192,
        "shot/shoot/height": 108,
        "shot/frames": 12,
    } | values
    project = edited(project, given)
    return project, assets


def balls() -> Mesh:
    """Three balls that reach into different corners."""
    one = sphere(0.12, 48)
    places = np.float32([[0.5, 0.4, 0.1], [-0.45, -0.3, 0.2], [0.1, 0.35, -0.5]])
    moved = [Mesh(one.vertices + p, one.normals, one.uvs, one.triangles, np.zeros_like(one.part)) for p in places]
    mesh = join(moved)
    return Mesh(mesh.vertices, mesh.normals, mesh.uvs, mesh.triangles, np.zeros_like(mesh.part))


@pytest.mark.parametrize("distortion", BENDS)
def test_there_and_back(distortion: float) -> None:
    project, _ = through(distortion, balls())
    lens = Projection.of_project(project)
    x, y = np.meshgrid(np.linspace(-1, 1, 41) * lens.half_w, np.linspace(-1, 1, 31) * lens.half_h)
    back = lens.places(*lens.rays(x, y))
    assert np.allclose(back, (x, y), atol=1e-12)
    corner = lens.rays(np.array([lens.half_w]), np.array([lens.half_h]))
    assert corner[0][0] == pytest.approx(lens.half_w / (1 + distortion))
    assert lens.widest == pytest.approx(max(1 / (1 + distortion), 1))


@settings(max_examples=60, deadline=None)
@given(distortion=st.floats(-0.5, 0.5), across=st.floats(-0.5, 0.5), up=st.floats(-0.5, 0.5), mm=st.floats(4, 60))
def test_places_and_rays_are_each_other_s_way_back(distortion: float, across: float, up: float, mm: float) -> None:
    camera = Camera(id="c", name="C", distortion=distortion, shift_x=across, shift_y=up, sensor_mm=mm, focal_mm=30)
    lens = Projection.of(camera, 160, 90)
    assert lens.half_w == pytest.approx(mm / 60)  # half the sensor by the focal length
    x, y = (
        s * half
        for s, half in zip(np.random.default_rng(1).uniform(-1, 1, (2, 50)), (lens.half_w, lens.half_h), strict=True)
    )
    seen = lens.rays(x, y)
    if abs(distortion) * (1 + 2 * max(abs(across), abs(up))) ** 2 < 1:  # beyond, a place sees what others see as well
        assert np.allclose(lens.places(*seen), (x, y), atol=1e-9 * mm)
        left, right, lower, upper = lens.field
        assert left < right
        assert lower < upper
    if not distortion:
        assert np.allclose(seen, (x + 2 * across * lens.half_w, y + 2 * up * lens.half_h))


def mask_of(project: Project, assets: dict[str, bytes], frame: int, tracer: Tracer) -> np.ndarray:
    """Where the subject is in the picture, in shares of a pixel."""
    s = project.shot.shoot
    scene = SceneCompiler(assets.__getitem__).compile(moment(project, frame), s.width, s.height)
    return exposed(tracer, scene, 16).subject


@pytest.mark.parametrize("distortion", BENDS)
def test_a_fitted_subject_touches_the_margin_in_the_picture(tracer: Tracer, distortion: float) -> None:
    project, assets = through(distortion, balls(), **{"shot/shoot/margin": 0.1})
    hull = placed_hull(measure(balls()), project.subject.placement)  # type: ignore[union-attr]
    fitted = fit_subject(project, hull)
    margins = frame_margins(View.of(fitted), hull)
    assert margins.worst == pytest.approx(0.1, abs=1e-4)
    mask = mask_of(fitted, assets, margins.worst_frame, tracer)
    rows, columns = np.flatnonzero(mask.max(axis=1) > 0.3), np.flatnonzero(mask.max(axis=0) > 0.3)
    seen = min(rows[0] / 108, (107 - rows[-1]) / 108, columns[0] / 192, (191 - columns[-1]) / 192)
    assert seen == pytest.approx(0.1, abs=1.5 / 108)


@pytest.mark.parametrize("lens", LENSES)
def test_margins_are_those_of_the_picture_in_every_frame(tracer: Tracer, lens: tuple[float, float, float]) -> None:
    far = 1.6 if lens[1] == 0 else 3.0
    project, assets = through(0.0, balls(), **{"camera/distance_m": far, "camera/aim/y_m": 0.0}, **shifted(lens))
    hull = placed_hull(measure(balls()), project.subject.placement)  # type: ignore[union-attr]
    margins = frame_margins(View.of(project), hull)
    for frame in (1, 5, 9):
        mask = mask_of(project, assets, frame, tracer)
        rows, columns = np.flatnonzero(mask.max(axis=1) > 0.3), np.flatnonzero(mask.max(axis=0) > 0.3)
        seen = min(rows[0] / 108, (107 - rows[-1]) / 108, columns[0] / 192, (191 - columns[-1]) / 192)
        told = margins.per_frame[frame - 1]
        assert seen == pytest.approx(told, abs=1.5 / 108) if told > 0.01 else seen < 0.02


@pytest.mark.parametrize("bent", LENSES)
@pytest.mark.parametrize("zooms", [False, True])
def test_motion_vectors_lead_to_where_the_place_is_in_the_next_frame(
    tracer: Tracer, bent: tuple[float, float, float], zooms: bool
) -> None:
    project, assets = through(0.0, balls(), **{"camera/distance_m": 1.6, "camera/aim/y_m": 0.0}, **shifted(bent))
    if zooms:
        segment = Segment(id="a", kind="zoom", to_mm=60.0)
        project = edited(project, {"shot/rows": (Row(id="camera", segments=(segment,)),)})
    s = project.shot.shoot
    scene = SceneCompiler(assets.__getitem__).compile(moment(project, 3), s.width, s.height, keep="passes")
    film = exposed(tracer, scene, 1)
    whole = film.alpha > 0.99
    position, motion = film.position[whole], film.motion[whole]

    def pixels(frame: int) -> np.ndarray:
        here = moment(project, frame)
        lens, m = Projection.of(here.camera, s.width, s.height), here.around.cameras[0]
        p = (position - m[:3, 3]) @ m[:3, :3]
        x, y = lens.places(p[:, 0] / -p[:, 2], p[:, 1] / -p[:, 2])
        return np.stack([(x / lens.half_w + 1) / 2 * s.width, (1 - y / lens.half_h) / 2 * s.height], axis=1)

    assert np.abs(motion).max() > 3
    assert np.allclose(pixels(4) - pixels(3), motion, atol=0.02)
    # and the place itself is where its pixel is, up to the filter's reach
    row, column = np.nonzero(whole)
    assert np.abs(pixels(3) - np.stack([column + 0.5, row + 0.5], axis=1)).max() < 1.6


@pytest.mark.parametrize("lens", LENSES)
def test_the_background_is_the_environment_that_rays_meet(tracer: Tracer, lens: tuple[float, float, float]) -> None:
    rng = np.random.default_rng(3)
    sky = np.repeat(np.repeat(rng.random((8, 16, 3)).astype(np.float32), 16, 0), 16, 1)
    data = encode_exr(sky, bits=32)
    key = content_hash(data)
    project, assets = through(0.0, sphere(0.001, 8), **shifted(lens))
    lit = Environment(asset=key, seen_by_camera=True)
    traced = edited(project, look__environment=lit)
    compiler = SceneCompiler((assets | {key: data}).__getitem__)
    met = exposed(tracer, compiler.compile(moment(traced, 2), 192, 108), 64).radiance
    behind = edited(traced, look__environment__seen_by_camera=False, look__background__kind="environment")
    laid = compiler.background(moment(behind, 2), 192, 108)
    near = np.abs(met - laid).mean(axis=2) < 0.05 * met.mean()
    assert near.mean() > 0.9  # all but the borders of the squares, which the pixel filter softens
    straight = edited(behind, camera__distortion=0.0, camera__shift_x=0.0, camera__shift_y=0.0)
    plain = compiler.background(moment(straight, 2), 192, 108)
    assert (np.abs(met - plain).mean(axis=2) < 0.05 * met.mean()).mean() < 0.8


def test_a_barrel_sees_the_end_of_the_sweep_sooner() -> None:
    values = {"set/sweep/on": True, "camera/elevation_deg": 2.0, "camera/distance_m": 3.0, "set/sweep/height_m": 4.4}
    ends = {}
    for distortion in (-0.5, 0.0, 0.5):
        project, _ = through(distortion, balls(), **values)
        ends[distortion] = bool(set_edges(View.of(project), project.set.sweep).ends)
    assert ends == {-0.5: True, 0.0: False, 0.5: False}
