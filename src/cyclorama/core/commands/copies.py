"""Copies of items: arranged, scattered, lined up, and made items of their own."""

import math
import warnings
from typing import Any, Literal

import numpy as np
import scipy

from ..arrays import Mat4
from ..errors import ChangeError
from ..geometry.copies import prototype_values
from ..geometry.measure import Measures, ground_placement, placed_hull
from ..geometry.natural import NATURAL
from ..geometry.placement import axis_to_y, placement_matrix
from ..geometry.primitives import build_made
from ..motion import moment_of_first, stand_height_m
from ..scene import Doc, Item, Made, Material, Part, Placement, Project, Variant, Worn, put, put_all
from ..scene.base import Id, new_id
from ..scene.copies import Arrangement, Copies
from ..scene.item import ON_DISC, ON_SET
from ..scene.stocked import ReadyScatter
from ..scene.writing import revise
from ..stock.scatters import LIES, SCATTERS, Scatter
from .base import performs
from .lists import with_free_part_ids
from .made_items import USUAL_SIZE_M, measure_made_item
from .names import free_name
from .placing import standing_again
from .tools import Tools

MOST_ITEMS = 200
"""Items of a project."""
GAP = 1.15
"""Spacing of what stands side by side, as a multiple of its width."""
ROUGHLY_AS_USUAL = (0.1, 1.5)
"""Sizes of subjects (m) among which natural forms have their own size."""


class ScatterReady(Doc):
    """Scatter natural forms around the subject, on what it stands on."""

    kind: Literal["scatter"] = "scatter"
    ready: ReadyScatter


@performs(ScatterReady)
def _scatter(project: Project, change: ScatterReady, tools: Tools) -> tuple[Project, str]:
    subject = project.subject
    measures = None if subject is None else tools.measures_of(subject)
    hull = placed_hull(measures, subject.placement) if subject and measures else np.zeros((0, 3))
    size = float(np.ptp(hull, axis=0).max()) if len(hull) else USUAL_SIZE_M
    name = free_name((x.name for x in project.items), change.ready.capitalize())
    rides = subject.rides if subject is not None and subject.rides in (ON_SET, ON_DISC) else ON_SET
    place = Placement() if subject is None else Placement(x_m=subject.placement.x_m, z_m=subject.placement.z_m)
    reach = size * SCATTERS[change.ready].reach
    if SCATTERS[change.ready].on_subject:
        if subject is None:
            raise ChangeError("There is no subject yet. Bring a model in first.")
        rides = subject.id
    elif rides == ON_DISC and project.set.disc.on:
        reach = min(reach, project.set.disc.radius_m)
    item, material = scattered_item(change.ready, name, new_id("scatter"), size, reach)
    item = revise(item, rides=rides, placement=place)
    assert item.made is not None
    stands = ground_placement(measure_made_item(item.made), place, stand_height_m(project, item))
    items = (*project.items, revise(item, placement=stands))
    return put_all(project, {"materials": (*project.materials, material), "items": items}), f"Scatter {change.ready}"


def scattered_item(ready: ReadyScatter, name: str, identity: str, size: float, reach: float) -> tuple[Item, Material]:
    """A ready scatter on the floor around a subject of a size, m, and its material; ids are made of the one told."""
    kind = SCATTERS[ready]
    made = _made(kind, size)
    material = Material(id=f"{identity}-material", name=name, base_color=kind.colour, **kind.made_of)
    part = Part(id=f"{identity}-part", name=name, triangles=len(build_made(made).triangles))
    item = Item(
        id=identity,
        name=name,
        made=made,
        parts=(part,),
        variant_id="colourway-1",
        rides=ON_SET,
        variants=(Variant(id="colourway-1", name="As made", parts=(Worn(id=part.id, material=material.id),)),),
        copies=revise(LIES, **_numbers(kind, made, reach), **kind.lies),
    )
    return item, material


def _made(ready: Scatter, size: float) -> Made:
    """The form in its usual size, or in a size that suits a very small or large subject."""
    low, high = ROUGHLY_AS_USUAL
    scale = size / low if size < low else max(size / high, 1.0)
    width, depth, height = (float(f"{scale * side:.3g}") for side in NATURAL[ready.form].size_m)
    return Made(form=ready.form, width_m=width, depth_m=depth, height_m=height, edge_m=0.0)


def _numbers(ready: Scatter, made: Made, reach: float) -> dict[str, Any]:
    covered = made.width_m * made.depth_m
    count = min(ready.most, max(1, round(ready.cover * math.pi * reach**2 / covered)))
    return {"count": count, "spacing_m": float(f"{ready.spacing * made.width_m:.3g}"), "radius_m": reach}


class Arrange(Doc):
    """Set copies of an item in order or scatter them, in its size; or let it stand alone."""

    kind: Literal["arrange"] = "arrange"
    item: Id
    arrangement: Arrangement | Literal["alone"]


@performs(Arrange)
def _arrange(project: Project, change: Arrange, tools: Tools) -> tuple[Project, str]:
    item = _item(project, change.item)
    if change.arrangement == "alone":
        return _alone(project, item), f"{item.name} stands alone"
    path = project.paths[0].id if project.paths else None
    if change.arrangement == "path" and path is None:
        raise ChangeError("There is no path yet. Draw one on the Move card first.")
    values: dict[str, Any] = {"arrangement": change.arrangement}
    if item.copies is None:
        values |= _in_size(tools.item(project, item.id)[1], item)
    if change.arrangement == "path":
        values |= {"path": path, "spacing_m": 0.0}
    if change.arrangement == "stack":
        hull = placed_hull(tools.item(project, item.id)[1], item.placement)
        values["spacing_m"] = _rounded(float(np.ptp(hull[:, 1])))
    copies = revise(item.copies or Copies(), **values)
    return put_all(project, {f"items/{item.id}/copies": copies}), f"Copies of {item.name}: {change.arrangement}"


def _in_size(measures: Measures, item: Item) -> dict[str, float]:
    """Distances of copies that suit the size of an item."""
    wide, _, deep = np.ptp(placed_hull(measures, item.placement), axis=0).tolist()
    spacing = _rounded(GAP * wide)
    return {"spacing_m": spacing, "rows_m": _rounded(GAP * deep), "radius_m": _rounded(3 * max(wide, deep))}


def _rounded(length: float) -> float:
    return float(f"{length:.3g}")


def _item(project: Project, identity: str) -> Item:
    item = project.item(identity)
    if item is None:
        raise ChangeError("That is not on the set any more.")
    return item


def _alone(project: Project, item: Item) -> Project:
    if item.copies is None:
        raise ChangeError(f"‘{item.name}’ stands alone already.")
    return put(project, f"items/{item.id}/copies", None)


class LineUp(Doc):
    """Line up all colourways of an item side by side."""

    kind: Literal["line_up"] = "line_up"
    item: Id


@performs(LineUp)
def _line_up(project: Project, change: LineUp, tools: Tools) -> tuple[Project, str]:
    item = _item(project, change.item)
    if len(item.variants) < 2:
        raise ChangeError(f"‘{item.name}’ has one colourway only. Make another on the Materials card first.")
    values = {**_in_size(tools.item(project, item.id)[1], item), "count": len(item.variants), "colourways": True}
    copies = revise(Copies(), **values)
    return put_all(project, {f"items/{item.id}/copies": copies}), f"Line up the colourways of {item.name}"


class FreezeCopies(Doc):
    """Make an item of each copy, to be moved and dressed by itself."""

    kind: Literal["freeze_copies"] = "freeze_copies"
    item: Id


@performs(FreezeCopies)
def _freeze(project: Project, change: FreezeCopies, tools: Tools) -> tuple[Project, str]:
    item = _item(project, change.item)
    if item.copies is None:
        raise ChangeError(f"‘{item.name}’ has no copies.")
    seen = next((x for x in moment_of_first(project).items if x.id == item.id), None)
    if seen is None:
        raise ChangeError(f"‘{item.name}’ is not on the set. Switch it on first.")
    poses = tools.eye.copies(moment_of_first(project), seen)
    room = MOST_ITEMS - len(project.items) + 1
    if len(poses) > room:
        raise ChangeError(f"There is room for {room} more items, and ‘{item.name}’ has {len(poses)} copies.")
    alone = _item(_alone(project, item), item.id)
    others = tuple(x for x in project.items if x.id != item.id)
    made: list[Item] = []
    for number, (prototype, pose) in enumerate(poses):
        copy = revise(alone, placement=placed_as(alone.placement, pose), **prototype_values(item, prototype))
        if number:
            copy = revise(copy, id=new_id("item"), name=free_name((x.name for x in (*others, *made)), item.name))
            copy = with_free_part_ids(copy, put_all(project, {"items": (*others, *made)}))
        made.append(copy)
    after = put_all(project, {"items": (*others, *made)})
    return standing_again(project, after, tools.measures_of), f"Make items of {item.name}"


def placed_as(placement: Placement, pose: Mat4) -> Placement:
    """The placement after a pose (4, 4) that turns, scales and moves, seen from where it is at rest."""
    whole = pose @ placement_matrix(placement)
    size = float(np.cbrt(np.linalg.det(pose[:3, :3])))
    unit = placement.unit_m * placement.scale * size
    rotation = scipy.spatial.transform.Rotation.from_matrix(whole[:3, :3] / unit @ axis_to_y(placement.up).T)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", UserWarning)  # rolled by a quarter: then the tip is taken as none
        turn, roll, tip = rotation.as_euler("YZX", degrees=True)
    about = scipy.spatial.transform.Rotation.from_euler("Y", turn, degrees=True)
    foot = pose[:3, :3] @ [placement.x_m, placement.lift_m, placement.z_m] + pose[:3, 3]
    # what is put on the axis, before the turn: the place itself less where the file's origin comes to lie
    centre = about.inv().apply(foot - whole[:3, 3])
    return revise(
        placement,
        scale=placement.scale * size,
        tip_deg=float(tip),
        roll_deg=-float(roll),
        turn_deg=float(turn),
        centre_x_m=float(centre[0]),
        centre_z_m=float(centre[2]),
        x_m=float(foot[0]),
        z_m=float(foot[2]),
        lift_m=float(whole[1, 3]),
    )
