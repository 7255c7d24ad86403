"""Hair in the tracer: what goes through a strand is not held back by its own far side."""

import numpy as np
import pytest
from tests.conftest import edited, exposed, look_at, project_of, scene_of

from cyclorama.core.geometry.mesh import Mesh
from cyclorama.core.geometry.strands import Polylines, build_strands
from cyclorama.core.motion import moment
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.scene import Aim, Light, Material, Project

WHITE = Material(id="m", name="M", base_color=(1.0, 1.0, 1.0), specular_roughness=0.35, specular_ior=1.55, strand=True)


def fur(count: int, radius: float, seed: int = 3) -> Mesh:
    """Strands that stand about, as a mesh of one part."""
    random = np.random.default_rng(seed)
    foot = np.column_stack([random.uniform(-0.1, 0.1, count), np.zeros(count), random.uniform(-0.05, 0.05, count)])
    lean = np.column_stack([random.normal(0, 0.02, count), np.zeros(count), random.normal(0, 0.02, count)])
    at = np.linspace(0, 1, 8)[:, None, None]
    points = foot + at * [0, 0.12, 0] + at**2 * lean
    flat = points.transpose(1, 0, 2).reshape(-1, 3)
    strands = build_strands(Polylines(flat, np.full(len(flat), radius), np.full(count, 8)))
    return Mesh(
        strands.vertices.astype(np.float32),
        strands.normals,
        strands.along,
        strands.triangles.astype(np.int32),
        np.zeros(len(strands.triangles), np.int32),
        more_uvs=strands.along,
    )


def studio(mesh: Mesh, material: Material, **values: object) -> tuple[Project, dict[str, bytes]]:
    project, assets = project_of(mesh, material)
    changed = {
        "camera/aim": Aim(y_m=0.06),
        "camera/distance_m": 0.6,
        "camera/elevation_deg": 5.0,
        "camera/focal_mm": 60.0,
        "shot/shoot/bounces": 24,
        **values,
    }
    return edited(project, changed), assets


def radiance(project: Project, assets: dict[str, bytes], tracer: Tracer) -> tuple[np.ndarray, np.ndarray]:
    scene = SceneCompiler(assets.__getitem__).compile(moment(project, 1), 72, 48)
    film = exposed(tracer, scene, 64)
    return film.radiance, film.alpha


@pytest.mark.parametrize(("count", "radius"), [(1, 0.02), (60, 0.004), (400, 0.0015)])
def test_white_hair_vanishes_in_a_white_room(count: int, radius: float, tracer: Tracer) -> None:
    """In even light from everywhere, strands that absorb nothing look like what is behind them, alone and in a tuft."""
    camera = look_at((0, 0.06, 0.6), (0, 0.06, 0), 0.14, 48)
    scene = scene_of(fur(count, radius), WHITE, camera, environment=1.0, max_bounces=64)
    film = exposed(tracer, scene, 128)
    seen = film.alpha > 0.999
    assert seen.sum() > 20
    assert float(film.radiance[seen].mean()) == pytest.approx(1.0, abs=0.01)


def test_light_from_behind_shines_through_dark_blond_and_not_through_black(tracer: Tracer) -> None:
    """Hair lit from behind glows by what passes through; black hair stays dark but for its gloss."""
    back = Light(id="back", name="Back", width_m=0.3, height_m=0.3, azimuth_deg=180, elevation_deg=20, distance_m=0.8)
    found = {}
    for name, colour in (("blond", (0.75, 0.55, 0.3)), ("black", (0.01, 0.01, 0.01))):
        material = WHITE.model_copy(update={"base_color": colour})
        picture, alpha = radiance(*studio(fur(250, 0.0012), material, **{"look/lights": (back,)}), tracer)
        found[name] = picture[alpha > 0.9].mean(axis=0)
    assert found["blond"][0] > 4 * found["black"][0]
    assert found["blond"][0] > 1.15 * found["blond"][2]
    plain = WHITE.model_copy(update={"base_color": (0.75, 0.55, 0.3), "strand": False})
    picture, alpha = radiance(*studio(fur(250, 0.0012), plain, **{"look/lights": (back,)}), tracer)
    assert found["blond"][0] > 1.5 * picture[alpha > 0.9].mean(axis=0)[0]
