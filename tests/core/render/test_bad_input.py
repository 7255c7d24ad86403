"""Broken and extreme input: defined behaviour, and never a pixel that is not a number."""

import dataclasses
import math

import numpy as np
import pytest
from tests.conftest import diffuse, edited, exposed, look_at, plane, png_of, project_of, scene_of, sphere
from tests.core.geometry.test_intake import findings, glb, with_document

from cyclorama.core.commands.values import SetValue, apply_set
from cyclorama.core.errors import ChangeError
from cyclorama.core.geometry.cache_keys import content_hash
from cyclorama.core.geometry.intake import take_in
from cyclorama.core.geometry.mesh import Mesh
from cyclorama.core.light.rows import light_row, luminance_nit
from cyclorama.core.motion import moment
from cyclorama.core.picture.linear import broken_pixels
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.scene import Light, Material, MaterialMaps, TextureRef, new_project

VIEW = look_at((0, 0.4, 3), (0, 0, 0), 0.25, 24)


def is_fine(picture: np.ndarray) -> bool:
    return bool(np.isfinite(picture).all() and (picture >= 0).all())


BROKEN = {"no numbers": np.nan, "overflowed": np.inf, "negative": -5.0, "hot pixel": 65504.0}


@pytest.mark.parametrize("name", BROKEN)
def test_environments_with_broken_pixels(tracer: Tracer, name: str) -> None:
    sky = np.full((32, 64, 3), 10.0, np.float32)
    sky[5, 7] = BROKEN[name]
    sky[20:22, 30] = BROKEN[name]
    film = exposed(tracer, scene_of(sphere(0.5, 48), diffuse(0.5), VIEW, environment=sky), 32)
    assert is_fine(film.radiance)
    assert film.radiance[film.alpha == 1].mean() > 3.0
    assert broken_pixels(sky) == (0 if name == "hot pixel" else 3)


@pytest.mark.parametrize("shape", [(1, 2), (2, 4), (3, 7)])
def test_tiny_and_black_environments(tracer: Tracer, shape: tuple[int, int]) -> None:
    for value in (0.0, 4.0):
        sky = np.full((*shape, 3), value, np.float32)
        shown = exposed(tracer, scene_of(sphere(0.5, 48), diffuse(1.0), VIEW, environment=sky), 64).radiance
        assert is_fine(shown)
        assert shown[10:14, 10:14].mean() == pytest.approx(value, rel=0.05)


@pytest.mark.parametrize("shape", ["rectangle", "disc", "sphere", "tube", "spot"])
def test_lights_without_an_area(tracer: Tracer, shape: str) -> None:
    """None can be made; the smallest there is gives the light of a point, I / d², without a speck."""
    project = new_project("Small")
    for wrong in (0.0, -1.0):
        with pytest.raises(ChangeError, match="at least"):
            apply_set(project, SetValue(path="look/lights/key/width_m", value=wrong))
    light = Light(
        id="a",
        name="A",
        shape=shape,
        width_m=0.001,
        height_m=0.001,
        elevation_deg=89,
        distance_m=1.0,
        power=500.0,
        power_unit="cd",
        seen_in_reflections=True,
    )  # type: ignore[arg-type]
    row = light_row(light, np.zeros(3), 0.0)
    scene = scene_of(plane(4.0), diffuse(0.5), look_at((0, 0.8, 0.6), (0, 0, 0), 0.02, 8), row[None], max_bounces=1)
    shown = exposed(tracer, scene, 256).radiance
    assert is_fine(shown)
    assert shown.mean() == pytest.approx(500.0 * 0.5 / math.pi, rel=0.02)
    assert shown.max() < 1.2 * shown.mean()
    assert luminance_nit(light.model_copy(update={"power": 0.0})) == 0.0


def test_broken_triangles_are_not_there(tracer: Tracer) -> None:
    """Triangles without an area, without positions or normals leave the rest of the mesh as it is."""
    ball = sphere(0.5, 48)
    v = np.vstack([ball.vertices, [[np.nan] * 3, [np.inf, 0, 0], [1, 1, 1], [1, 1, 1]]]).astype(np.float32)
    n = np.vstack([ball.normals, np.full((4, 3), np.nan)]).astype(np.float32)
    uv = np.vstack([ball.uvs, np.full((4, 2), np.nan)]).astype(np.float32)
    last = len(ball.vertices)
    bad = [[0, 1, last], [0, last + 1, 2], [last + 2, last + 3, last + 2], [3, 3, 3], [5, 6, 5]]
    broken = Mesh(
        v, n, uv, np.vstack([ball.triangles, bad]).astype(np.int32), np.zeros(len(ball.triangles) + len(bad), np.int32)
    )
    for material in (
        diffuse(0.5),
        Material(id="m", name="m", transmission_weight=1.0, specular_roughness=0.0),
        Material(id="m", name="m", edge_radius_m=0.01, coat_weight=1.0),
    ):
        whole = exposed(tracer, scene_of(ball, material, VIEW, environment=1.0), 16)
        film = exposed(tracer, scene_of(broken, material, VIEW, environment=1.0), 16)
        assert is_fine(film.radiance)
        assert np.abs(film.alpha - whole.alpha).max() < 1e-6


@pytest.mark.parametrize("uv", [np.nan, np.inf, 1e30, -1e12])
@pytest.mark.parametrize("size", [(1, 1), (3, 7), (1, 500)])
def test_maps_of_any_size_under_any_coordinates(tracer: Tracer, uv: float, size: tuple[int, int]) -> None:
    data = png_of(np.tile(np.uint8([128, 128, 255]), (size[1], size[0], 1)))
    ref = TextureRef(asset=content_hash(data), name="map")
    ball = sphere(0.5, 32)
    uvs = ball.uvs.copy()
    uvs[::3] = uv
    maps = MaterialMaps(base_color=ref, normal=ref, height=ref, coat_normal=ref, opacity=ref)
    project, assets = project_of(dataclasses.replace(ball, uvs=uvs), diffuse(1.0, coat_weight=0.5, maps=maps))
    scene = SceneCompiler((assets | {ref.asset: data}).__getitem__).compile(moment(project, 1), 24, 24)
    lit = scene_of(ball, diffuse(), VIEW, environment=1.0)
    scene = dataclasses.replace(scene, lights=lit.lights, environment=lit.environment, camera=VIEW)
    assert is_fine(exposed(tracer, scene, 16).radiance)


def test_broken_coordinates_and_indices_are_reported() -> None:
    ball = sphere(0.1, 24)
    uvs = ball.uvs.copy()
    uvs[:5] = np.nan
    report = findings(take_in({"ball.glb": glb(dataclasses.replace(ball, uvs=uvs))}))
    assert "5 vertices with broken texture coordinates set to 0, 0" in report

    def bend(document: dict) -> None:
        document["materials"][0]["extensions"] = {"KHR_materials_ior": {"ior": 0.5}}

    intake = take_in({"ball.glb": with_document(glb(), bend)})
    assert intake.materials[0].specular_ior == 1.0
    assert "index of refraction 0.5 is outside" in findings(intake)
    project = edited(new_project("IOR"), materials=intake.materials)
    low = SetValue(path=f"materials/{intake.materials[0].id}/specular_ior", value=0.5)
    with pytest.raises(ChangeError, match="IOR must be"):
        apply_set(project, low)


def test_glass_like_air_cannot_be_seen(tracer: Tracer) -> None:
    air = Material(id="m", name="m", transmission_weight=1.0, specular_ior=1.0, specular_roughness=0.0)
    film = exposed(tracer, scene_of(sphere(0.5, 48), air, VIEW, environment=2.0), 64)
    assert film.radiance[film.alpha == 1] == pytest.approx(2.0, rel=1e-4)


def test_a_camera_inside_an_opaque_body_sees_its_inside(tracer: Tracer) -> None:
    scene = scene_of(sphere(0.5, 48), diffuse(0.5), look_at((0, 0, 0.1), (0, 0, -1), 0.5, 16), environment=5.0)
    film = exposed(tracer, scene, 16)
    assert film.alpha.min() == 1
    assert film.radiance.max() == 0
