"""Liquids in hollow items."""

import numpy as np
import pytest
from tests.conftest import always, diffuse, edited, project_of, sphere
from tests.core.geometry.test_filling import tumbler
from tests.core.review.test_call_sheet import SomeEye

from cyclorama.core.commands.filling import FillItem
from cyclorama.core.commands.perform import perform
from cyclorama.core.commands.splitting import SplitPart, split_mesh, with_parts
from cyclorama.core.errors import ChangeError
from cyclorama.core.geometry.filling import Hollow
from cyclorama.core.geometry.mesh import Mesh, join
from cyclorama.core.material.presets import LIQUIDS, with_preset
from cyclorama.core.motion import moment
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.trace.arrays import Geometry
from cyclorama.core.scene import Channel, Item, Key, Material, Project, load_project, put, put_all
from cyclorama.core.scene.aim import Aim


class Looking(SomeEye):
    """Knows what is hollow."""

    def __init__(self, assets: dict[str, bytes]):
        self.compiler = SceneCompiler(assets.__getitem__)

    def hollow(self, item: Item) -> Hollow | None:
        return self.compiler.hollow(item)


def filled(mesh: Mesh | None = None, liquid: str = "Water") -> tuple[Project, dict[str, bytes]]:
    project, assets = project_of(mesh or tumbler(), with_preset(Material(id="glass", name="Glass"), "Clear glass"))
    return fill(project, assets, liquid), assets


def fill(project: Project, assets: dict[str, bytes], liquid: str) -> Project:
    change = FillItem(item=project.items[0].id, liquid=liquid)  # type: ignore[arg-type]
    return perform(project, change, always(None), Looking(assets))[0]


def geometry_at(project: Project, assets: dict[str, bytes], frame: int) -> Geometry:
    return SceneCompiler(assets.__getitem__).compile(moment(project, frame), 8, 8).geometry


def test_the_liquid_is_a_part_that_wears_it() -> None:
    project, assets = filled()
    item = project.items[0]
    assert [p.name for p in item.parts] == ["Part", "Water"]
    worn = {m.id: m for m in project.materials}[item.variant.parts[-1].material]
    assert {name: getattr(worn, name) for name in LIQUIDS["Water"]} == LIQUIDS["Water"]
    geometry = geometry_at(project, assets, 1)
    own = geometry.corners[geometry.part == geometry.part.max(), 1]
    assert 0.055 < own.max() < 0.065  # six tenths of the way from bottom to brim, and its meniscus
    assert load_project(project.model_dump_json()) == project


def test_another_liquid_keeps_the_level_and_none_takes_all_of_it_away() -> None:
    project, assets = filled()
    path = f"items/{project.items[0].id}/filling/level"
    part = project.items[0].parts[-1].id
    project = edited(put(project, path, 0.3), camera__aim=Aim(item=project.items[0].id, part=part))
    channel = Channel(id="c", path=path, keys=(Key(id="k", frame=0, value=(0.2,)), Key(id="l", frame=10, value=(0.8,))))
    project = put(project, "shot/channels", (channel,))
    tea = fill(project, assets, "Tea")
    assert tea.items[0].filling == project.items[0].filling
    assert tea.items[0].parts[-1].name == "Tea"
    assert len(tea.materials) == 2
    empty = fill(tea, assets, "none")
    assert empty.items[0].filling is None
    assert [p.name for p in empty.items[0].parts] == ["Part"]
    assert [m.id for m in empty.materials] == ["glass"]
    assert empty.shot.channels == ()
    assert empty.camera.aim.part is None
    with pytest.raises(ChangeError, match="nothing in"):
        fill(empty, assets, "none")


def test_a_keyed_level_rises_over_the_shot() -> None:
    project, assets = filled()
    path = f"items/{project.items[0].id}/filling/level"
    keys = (Key(id="k", frame=0, value=(0.2,)), Key(id="l", frame=10, value=(0.8,)))
    project = put_all(project, {"shot/frames": 11, "shot/channels": (Channel(id="c", path=path, keys=keys),)})
    first = project.shot.first_frame
    tops = []
    for frame in (first, first + 10):
        geometry = geometry_at(project, assets, frame)
        tops.append(geometry.corners[geometry.part == geometry.part.max(), 1].max())
    assert tops[1] - tops[0] == pytest.approx(0.6 * 0.095, abs=0.002)


def test_the_liquid_goes_with_its_vessel_and_stays_level() -> None:
    """Moved and turned with it; tipped, its surface is level all the same."""
    project, assets = filled()
    path = f"items/{project.items[0].id}"
    still = {f"{path}/filling/meniscus_m": 0.0, f"{path}/placement/centre_method": "file"}
    for placement in ({"x_m": 0.3, "turn_deg": 40.0, "lift_m": 0.1}, {"tip_deg": 25.0, "z_m": 0.2}):
        moved = edited(project, still | {f"{path}/placement/{name}": value for name, value in placement.items()})
        geometry = geometry_at(moved, assets, 1)
        liquid, glass = (geometry.corners[geometry.part == part, :9].reshape(-1, 3) for part in (3, 2))
        top = liquid[:, 1].max()
        surface = liquid[liquid[:, 1] > top - 1e-5]
        assert np.ptp(surface[:, 0]) > 0.05
        low, high = glass.min(axis=0), glass.max(axis=0)
        assert (liquid.min(axis=0) > low).all()
        assert (liquid.max(axis=0) < high).all()


def test_what_holds_nothing_says_what_it_lacks() -> None:
    project, assets = project_of(sphere(0.05), diffuse())
    with pytest.raises(ChangeError, match="inside and an outside"):
        fill(project, assets, "Milk")


def test_parts_of_what_is_filled_are_taken_apart_before_the_liquid() -> None:
    lift = np.eye(4)
    lift[0, 3] = 0.2
    mesh = join([tumbler(), sphere(0.01, 24).transformed(lift)])
    mesh = Mesh(mesh.vertices, mesh.normals, mesh.uvs, mesh.triangles, np.zeros(len(mesh.triangles), np.int32))
    project, _ = filled(mesh)
    item = project.items[0]
    wanted = SplitPart(item=item.id, part=item.parts[0].id)
    after = with_parts(project, wanted, split_mesh(project, wanted, mesh), "0" * 32).items[0]
    assert [p.name for p in after.parts] == ["Part", "Part 2", "Water"]
    assert after.variant.parts[-1] == item.variant.parts[-1]
    with pytest.raises(ChangeError, match="liquid"):
        split_mesh(project, SplitPart(item=item.id, part=item.parts[-1].id), mesh)
