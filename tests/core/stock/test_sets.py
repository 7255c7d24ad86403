"""Ready sets in the size of a subject, and materials as glTF and back."""

from typing import get_args

import numpy as np
import pytest
from tests.conftest import diffuse, project_of, sphere

from cyclorama.core.commands import perform
from cyclorama.core.commands.stock import SetUp, UseStocked, stock_from_project
from cyclorama.core.commands.tools import Tools
from cyclorama.core.errors import ChangeError
from cyclorama.core.geometry.measure import measure, placed_hull
from cyclorama.core.geometry.read.gltf_material import read_materials
from cyclorama.core.geometry.read.model import FileModel
from cyclorama.core.material.presets import LIQUIDS, PRESETS, with_preset
from cyclorama.core.scene import (
    Gobo,
    Item,
    Material,
    MaterialMaps,
    Project,
    TextureRef,
    new_project,
    put,
    put_all,
    value_at,
)
from cyclorama.core.scene.stocked import ReadySet, Stocked, StockedGobo
from cyclorama.core.stock.gltf import gltf_of


class _Blind:
    """An eye that sees nothing: the exposure stays."""

    def meter(self, _: object) -> None:
        return None


def _ball(radius: float) -> tuple[Project, object]:
    mesh = sphere(radius, 32)
    project, _ = project_of(mesh, diffuse())
    return project, lambda item: measure(mesh)


@pytest.mark.parametrize("ready", get_args(ReadySet))
def test_a_ready_set_takes_the_size_of_what_comes_in(ready: ReadySet) -> None:
    """A subject a hundred times as large gets a set a hundred times as large, and fills the picture as much."""
    small, large = (
        perform(project, SetUp(ready=ready), measures, _Blind())[0]  # type: ignore[arg-type]
        for project, measures in (_ball(0.02), _ball(2.0))
    )
    for path in ("set/sweep/width_m", "set/disc/radius_m", "camera/distance_m"):
        _, _, name = path.rpartition("/")
        part = {
            "set/sweep/width_m": lambda p: p.set.sweep,
            "set/disc/radius_m": lambda p: p.set.disc,
            "camera/distance_m": lambda p: p.camera,
        }[path]
        assert getattr(part(large), name) == pytest.approx(100 * getattr(part(small), name), rel=1e-3)
    for a, b in zip(small.look.lights, large.look.lights, strict=True):
        assert (b.distance_m, b.width_m) == pytest.approx((100 * a.distance_m, 100 * a.width_m), rel=1e-6)
        assert (a.strength_stops, a.azimuth_deg) == (b.strength_stops, b.azimuth_deg)
        aim = np.array([b.aim.x_m, b.aim.y_m, b.aim.z_m])
        hull = placed_hull(_ball(2.0)[1](None), large.items[0].placement)  # type: ignore[operator]
        assert np.abs(aim - (hull.min(axis=0) + hull.max(axis=0)) / 2).max() < 1e-3  # the middle of the ball
    assert len(large.looks) == 2  # the look that was there stays


def test_stock_comes_into_a_project_of_another_size() -> None:
    project, measures = _ball(0.1)
    project = put_all(
        project, {"look/lights": ({"id": "k", "name": "K", "distance_m": 1.0, "excluded_parts": ("sweep",)},)}
    )
    kept = stock_from_project(project, "look", "Mine", Tools(measures, _Blind()))  # type: ignore[arg-type]
    assert kept.size_m == pytest.approx(0.2, rel=1e-3)
    other, others = _ball(1.0)
    after, label = perform(other, UseStocked(stocked=kept), others, _Blind())  # type: ignore[arg-type]
    (light,) = after.look.lights
    assert (after.look.name, light.distance_m, light.excluded_parts) == ("Mine", pytest.approx(10.0, rel=1e-3), ())
    assert label == "Look Mine"
    model = stock_from_project(project, "model", "Ball", Tools(measures, _Blind()))  # type: ignore[arg-type]
    both, _ = perform(other, UseStocked(stocked=model), _by_item(measures, others, other), _Blind())  # type: ignore[arg-type]
    first, second = both.items
    assert second.name == "Ball"
    right = placed_hull(measures(second), second.placement)[:, 0].min()  # type: ignore[operator]
    assert right > placed_hull(others(first), first.placement)[:, 0].max()  # type: ignore[operator]
    assert len({m.id for m in both.materials}) == 2


def _by_item(new: object, old: object, project: Project) -> object:
    there = {item.asset for item in project.items}

    def measures_of(item: Item) -> object:
        return (old if item.asset in there else new)(item)  # type: ignore[operator]

    return measures_of


@pytest.mark.parametrize("name", list(PRESETS))
def test_a_material_comes_back_from_gltf_as_it_was(name: str) -> None:
    """All that glTF can say; what it cannot is named."""
    material = with_preset(Material(id="material-1", name=name), name)
    document, lost = gltf_of(material, lambda key: f"{key}.png")
    (back,), _ = read_materials(document, FileModel())
    unsaid = {
        "maps",
        "normal_scale",
        "id",
        "edge_radius_m",
        "height_m",
        "coat_darkening",
        "coat_ior",
        "base_diffuse_roughness",
        "vertex_colours",
    }
    unsaid |= {"subsurface_weight", "subsurface_color", "subsurface_radius_m", "subsurface_radius_scale"}
    unsaid |= {"fuzz_weight", "fuzz_color", "coat_color", "transmission_color", "thin_walled", "base_weight"}
    unsaid |= {"priority", "transmission_scatter", "transmission_scatter_anisotropy"}
    for field in set(Material.model_fields) - unsaid:
        there, then = getattr(material, field), getattr(back, field)
        idle = {
            "fuzz": material.fuzz_weight,
            "thin_film": material.thin_film_weight,
            "coat": material.coat_weight,
            "emission": material.emission_luminance,
            "transmission": material.transmission_weight,
            "specular_rotation": material.specular_roughness_anisotropy,
        }
        if any(field.startswith(part) and not weight for part, weight in idle.items()):
            continue
        assert then == (there if there is None or isinstance(there, str) else pytest.approx(there, rel=1e-5)), field
    fuzz = [material.fuzz_weight * c for c in material.fuzz_color]
    assert [back.fuzz_weight * c for c in back.fuzz_color] == pytest.approx(fuzz, abs=1e-6)
    assert ("subsurface" in lost) == (material.subsurface_weight > 0)
    assert ("its priority" in lost) == (name in LIQUIDS)
    assert ("its cloudiness" in lost) == (name == "Milk")


def test_maps_lie_in_gltf_as_they_lay() -> None:
    lying = TextureRef(
        asset="a" * 32, name="Bark", wrap="mirror", scale_u=2.0, scale_v=3.0, offset_u=0.25, rotation_deg=30.0
    )
    green, blue = (TextureRef(asset="b" * 32, name="Packed", channel=c) for c in ("g", "b"))  # type: ignore[arg-type]
    maps = MaterialMaps(
        base_color=lying, specular_roughness=green, base_metalness=blue, fuzz_color=TextureRef(pattern="noise")
    )
    document, lost = gltf_of(Material(id="m", name="M", maps=maps, fuzz_weight=0.5), lambda key: f"{key}.png")
    (back,), _ = read_materials(document, FileModel())
    same = {"asset", "name", "tiles"}
    assert back.maps.base_color is not None
    assert back.maps.base_color.model_dump(exclude=same) == pytest.approx(lying.model_dump(exclude=same))
    assert back.maps.specular_roughness is not None
    assert back.maps.specular_roughness.channel == "g"
    assert document["images"][1]["uri"] == f"{'b' * 32}.png"
    assert lost == ["the map ‘sheenColorTexture’"]


def test_a_gobo_needs_a_beam() -> None:
    project = put(new_project("Dark"), "look/lights/key/shape", "tube")
    leaves = Stocked(id="gobo-1", name="Leaves", size_m=1.0, content=StockedGobo(gobo=Gobo(pattern="leaves")))
    with pytest.raises(ChangeError, match="‘Key’ shines to all sides"):
        perform(project, UseStocked(stocked=leaves, light="key"), {}.get, _Blind())  # type: ignore[arg-type]
    facing = put(project, "look/lights/key/shape", "spot")
    after, _ = perform(facing, UseStocked(stocked=leaves, light="key"), {}.get, _Blind())  # type: ignore[arg-type]
    assert value_at(after, "look/lights/key/gobo/pattern") == "leaves"
