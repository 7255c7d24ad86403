"""True relief: a surface moved by a map is the body of that shape."""

import io

import numpy as np
import pytest
from PIL import Image
from tests.conftest import edited, exposed, project_of
from tests.core.review.test_call_sheet import SomeEye, arrival

from cyclorama.core.commands import perform
from cyclorama.core.commands.relief import FitRelief
from cyclorama.core.errors import ChangeError
from cyclorama.core.framing import View, frame_margins
from cyclorama.core.geometry.build import grid_mesh
from cyclorama.core.geometry.cache_keys import content_hash
from cyclorama.core.geometry.measure import measure, placed_hull
from cyclorama.core.geometry.mesh import Mesh
from cyclorama.core.motion import moment
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.compile.relief import MOST_TRIANGLES
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.render.trace.wavefront import FrameScene
from cyclorama.core.scene import Aim, Light, Material, MaterialMaps, Placement, Project, TextureRef, new_project

SIDE, DEPTH, LEVEL = 0.4, 0.06, 0.25
PIXELS = 256


def hill(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """A height, 0…1, for places 0…1 across and down: a round hill on a slope."""
    away = np.hypot(x - 0.45, y - 0.5) / 0.3
    return np.asarray(0.2 * x + 0.7 * np.where(away < 1, np.cos(away * np.pi / 2) ** 2, 0.0))


def sheet(rows: int, height: bool) -> Mesh:
    """A square sheet in the plane of x and z, its picture's top at the back; flat, or as high as the hill."""
    y, x = np.meshgrid(np.linspace(0, 1, rows), np.linspace(0, 1, rows), indexing="ij")
    up = 0.1 + ((hill(x, y) - LEVEL) * DEPTH if height else np.zeros_like(x))
    points = np.stack([(x - 0.5) * SIDE, up, (y - 0.5) * SIDE], axis=-1)
    return grid_mesh(points[::-1], np.stack([x, y], axis=-1)[::-1], 180)


def map_of(bits: int) -> bytes:
    at = (np.arange(PIXELS) + 0.5) / PIXELS
    values = hill(*np.meshgrid(at, at))
    buffer = io.BytesIO()
    whole = np.round(values * (65535 if bits == 16 else 255)).astype(np.uint16 if bits == 16 else np.uint8)
    Image.fromarray(whole).save(buffer, "PNG")
    return buffer.getvalue()


PICTURE = map_of(16)
REF = TextureRef(asset=content_hash(PICTURE), name="hill", wrap="clamp")
WOOD = Material(id="m", name="M", base_color=(0.5, 0.4, 0.3), specular_roughness=0.5)
MOVED = {"displaced": True, "height_m": DEPTH, "relief_level": LEVEL, "relief_step_m": 0.003}


def studio(mesh: Mesh, **values: object) -> tuple[Project, dict[str, bytes]]:
    material = WOOD.model_copy(update={"maps": MaterialMaps(height=REF), **values}) if values else WOOD
    project, assets = project_of(mesh, *[material] * (int(mesh.part.max()) + 1))
    sun = Light(id="key", name="Key", width_m=0.1, height_m=0.1, azimuth_deg=70, elevation_deg=12, distance_m=2.0)
    changed = {
        f"items/{project.items[0].id}/placement": Placement(x_m=0.05, z_m=0.02, turn_deg=30.0),
        "look/lights": (sun,),
        "camera/aim": Aim(x_m=0.05, y_m=0.1, z_m=0.02),
        "camera/distance_m": 1.1,
        "camera/elevation_deg": 20.0,
        "camera/focal_mm": 60.0,
    }
    return edited(project, changed), assets | {REF.asset: PICTURE}


def compiled(project: Project, assets: dict[str, bytes], keep: str = "picture") -> FrameScene:
    return SceneCompiler(assets.__getitem__).compile(moment(project, 1), 96, 64, keep)  # type: ignore[arg-type]


def test_a_sheet_moved_by_a_map_looks_like_the_body_of_that_shape(tracer: Tracer) -> None:
    """Outline, shading, and the shadow of its hill in low light; distances, normals."""
    one = compiled(*studio(sheet(3, False), **MOVED), "passes")
    other = compiled(*studio(sheet(200, True)), "passes")
    first, second = exposed(tracer, one, 64), exposed(tracer, other, 64)
    seen = second.alpha > 0.99
    np.testing.assert_allclose(first.alpha, second.alpha, atol=0.15)
    assert np.abs(first.alpha - second.alpha).mean() < 2e-3
    assert np.abs(first.depth - second.depth)[seen].max() < 0.01
    assert np.median(np.abs(first.depth - second.depth)[seen]) < 2e-4
    assert np.median(np.linalg.norm(first.normal - second.normal, axis=-1)[seen]) < 0.02
    scale = second.radiance[seen].mean()
    assert scale > 0
    assert np.median(np.abs(first.radiance - second.radiance)[seen]) < 0.03 * scale
    flat = exposed(tracer, compiled(*studio(sheet(3, False))), 64)
    assert np.abs(flat.alpha - second.alpha).mean() > 0.03


def heights_of(scene: FrameScene) -> np.ndarray:
    return scene.geometry.corners[:, 1:9:3]


def test_sixteen_bits_make_no_terraces() -> None:
    """Vertices lie on the hill: within a pixel's share of its slope, far below a step of eight bits."""
    project, assets = studio(sheet(3, False), **{**MOVED, "height_m": 1.0})
    project = edited(project, {f"items/{project.items[0].id}/placement": Placement()})
    corners = compiled(project, assets).geometry.corners[:, :9].reshape(-1, 3)
    x, y = corners[:, 0] / SIDE + 0.5, corners[:, 2] / SIDE + 0.5
    inside = (np.abs(corners[:, [0, 2]]) < 0.48 * SIDE).all(axis=1)
    expected = 0.1 + hill(x, y) - LEVEL
    assert np.abs(corners[:, 1] - expected)[inside].max() < 1e-3 < 1 / 255
    assert np.abs(corners[:, 1] - expected)[inside].mean() < 2e-4


def test_steps_are_as_fine_as_asked_and_no_finer_than_the_map() -> None:
    coarse = len(heights_of(compiled(*studio(sheet(3, False), **{**MOVED, "relief_step_m": 0.02}))))
    fine = len(heights_of(compiled(*studio(sheet(3, False), **{**MOVED, "relief_step_m": 0.005}))))
    finest = len(heights_of(compiled(*studio(sheet(3, False), **{**MOVED, "relief_step_m": 0.0}))))
    assert 8 <= fine / coarse <= 32
    pixels = PIXELS**2
    assert 2 * pixels < finest < 10 * pixels < MOST_TRIANGLES


def test_relief_stays_where_it_meets_a_part_without_it() -> None:
    """Two halves of a sheet, one of them moved: along the line between them nothing opens."""
    mesh = sheet(9, False)
    middle = mesh.vertices[mesh.triangles].mean(axis=1)[:, 0] > 0
    halves = Mesh(mesh.vertices, mesh.normals, mesh.uvs, mesh.triangles, middle.astype(np.int32))
    project, assets = studio(halves, **MOVED)
    other = WOOD.model_copy(update={"id": "plain"})
    item = project.items[0]
    values = {"materials": (*project.materials, other), f"items/{item.id}/placement": Placement()}
    values[f"items/{item.id}/variants/{item.variant_id}/parts/{item.parts[1].id}/material"] = "plain"
    corners = compiled(edited(project, values), assets).geometry.corners[:, :9].reshape(-1, 3)
    across, up = corners[:, 0], corners[:, 1]
    np.testing.assert_allclose(up[np.abs(across) < 1e-6], 0.1, atol=1e-6)
    np.testing.assert_allclose(up[across > 0.01], 0.1, atol=1e-6)
    assert np.abs(up[across < -0.01] - 0.1).max() > 0.01


def test_the_step_is_fitted_to_a_pixel_and_a_bare_material_told_of() -> None:
    project, _ = studio(sheet(3, False), **MOVED)
    measures = measure(sheet(3, False))
    fitted, label = perform(project, FitRelief(material="m"), lambda item: measures, SomeEye())
    pixel = frame_margins(View.of(project), placed_hull(measures, project.items[0].placement)).pixel_m
    assert fitted.materials[0].relief_step_m == pytest.approx(pixel)
    assert label == "Fit the relief of ‘M’"
    for wrong, told in (("none", "gone"), ("bare", "wears")):
        bare = edited(new_project("Bare"), {"materials": (WOOD.model_copy(update={"id": "bare"}),)})
        with pytest.raises(ChangeError, match=told):
            perform(bare, FitRelief(material=wrong), lambda item: arrival(0.1).measures, SomeEye())
