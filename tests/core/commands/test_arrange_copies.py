"""Copies of items: scattered, in order, lined up, and made items of their own."""

from typing import get_args

import numpy as np
import pytest
from scipy.spatial.transform import Rotation
from tests.conftest import edited
from tests.core.commands.test_items import done, studio

from cyclorama.core.commands import Command
from cyclorama.core.commands.colourways import AddColourway
from cyclorama.core.commands.copies import Arrange, FreezeCopies, LineUp, ScatterReady, placed_as
from cyclorama.core.commands.lists import Remove
from cyclorama.core.commands.values import SetValue
from cyclorama.core.errors import ChangeError
from cyclorama.core.geometry.placement import placement_matrix
from cyclorama.core.motion import stand_height_m
from cyclorama.core.scene import Placement, Project, load_project
from cyclorama.core.scene.copies import Copies
from cyclorama.core.scene.path import Path, PathPoint
from cyclorama.core.scene.stocked import ReadyScatter
from cyclorama.core.stock.scatters import SCATTERS

ITEM = studio().items[0].id


def refused(project: Project, change: Command) -> str:
    """The sentence with which a change is refused."""
    with pytest.raises(ChangeError) as error:
        done(project, change)
    return str(error.value)


def copies_of(project: Project) -> Copies:
    copies = project.items[-1].copies
    assert copies is not None
    return copies


@pytest.mark.parametrize("ready", get_args(ReadyScatter))
def test_ready_things_lie_around_the_subject_on_what_it_stands_on(ready: ReadyScatter) -> None:
    before = edited(studio(), {"subject/placement/x_m": 0.1})
    project = done(before, ScatterReady(ready=ready))
    item = project.items[-1]
    on_it = SCATTERS[ready].on_subject
    assert item.rides == (ITEM if on_it else "disc")
    assert item.placement.x_m == pytest.approx(0.1)
    assert item.placement.lift_m == pytest.approx(stand_height_m(project, item), abs=1e-6)
    assert on_it or copies_of(project).radius_m <= project.set.disc.radius_m
    assert copies_of(project).count > 20
    assert item.made is not None
    assert item.made.form == SCATTERS[ready].form
    assert load_project(project.model_dump_json()) == project
    on_floor = done(before, SetValue(path="subject/rides", value="set"), ScatterReady(ready=ready))
    assert on_floor.items[-1].rides == (ITEM if on_it else "set")
    gone = done(project, Remove(path=f"items/{item.id}"))
    assert (gone.items, gone.materials) == (before.items, before.materials)


def test_copies_in_order_suit_the_size_of_the_item() -> None:
    project = done(studio(), Arrange(item=ITEM, arrangement="row"))
    row = copies_of(project)
    assert row.spacing_m == pytest.approx(1.15 * 0.4, rel=0.02)
    kept = done(project, SetValue(path="subject/copies/count", value=9), Arrange(item=ITEM, arrangement="grid"))
    assert (copies_of(kept).arrangement, copies_of(kept).count, copies_of(kept).spacing_m) == ("grid", 9, row.spacing_m)
    stack = copies_of(done(kept, Arrange(item=ITEM, arrangement="stack")))
    assert stack.spacing_m == pytest.approx(0.4, rel=0.02)
    alone = done(kept, Arrange(item=ITEM, arrangement="alone"))
    assert alone.items[0].copies is None
    assert "stands alone already" in refused(alone, Arrange(item=ITEM, arrangement="alone"))


def test_copies_need_a_path_to_stand_along() -> None:
    assert "no path yet" in refused(studio(), Arrange(item=ITEM, arrangement="path"))
    path = Path(id="p", name="P", points=(PathPoint(id="a"), PathPoint(id="b", x_m=1.0)))
    project = done(edited(studio(), paths=(path,)), Arrange(item=ITEM, arrangement="path"))
    assert (copies_of(project).path, copies_of(project).spacing_m) == ("p", 0.0)
    assert "is copied along" in refused(project, Remove(path="paths/p"))


def test_a_line_up_has_every_colourway_once() -> None:
    assert "one colourway only" in refused(studio(), LineUp(item=ITEM))
    project = done(studio(), AddColourway(item=ITEM), AddColourway(item=ITEM), LineUp(item=ITEM))
    assert (copies_of(project).count, copies_of(project).colourways, copies_of(project).arrangement) == (3, True, "row")


def test_what_has_no_copies_is_not_made_items() -> None:
    assert "has no copies" in refused(studio(), FreezeCopies(item=ITEM))
    assert "not on the set" in refused(studio(), FreezeCopies(item="nobody"))


def test_a_placement_takes_any_pose() -> None:
    rng = np.random.default_rng(5)
    for _ in range(40):
        placement = Placement(
            unit_m=float(rng.uniform(0.001, 1)), up=rng.choice(["y", "z"]), scale=float(rng.uniform(0.5, 2)),
            centre_x_m=float(rng.normal()), centre_z_m=float(rng.normal()), tip_deg=float(rng.uniform(-180, 180)),
            roll_deg=float(rng.uniform(-180, 180)), turn_deg=float(rng.uniform(-180, 180)),
            lift_m=float(rng.normal()), x_m=float(rng.normal()), z_m=float(rng.normal()),
        )  # fmt: skip
        pose = np.eye(4)
        pose[:3, :3] = Rotation.random(random_state=rng).as_matrix() * rng.uniform(0.5, 2)
        pose[:3, 3] = rng.normal(size=3)
        found = placed_as(placement, pose)
        np.testing.assert_allclose(placement_matrix(found), pose @ placement_matrix(placement), atol=1e-9)
        foot = pose @ [placement.x_m, placement.lift_m, placement.z_m, 1.0]
        np.testing.assert_allclose([found.x_m, found.z_m], foot[[0, 2]], atol=1e-9)
