"""A model that came in takes its place: grounded, fitted, and with a set, lights and exposure of its size."""

import numpy as np

from ..framing import WALL_ROOM, fit_subject
from ..geometry.cache_keys import Intake
from ..geometry.measure import centre_placement, ground_placement, placed_hull
from ..light.kinds import kind_of
from ..motion import aim_point, stand_height_m
from ..scene import Aim, Item, Light, Material, Project, put_all
from ..scene.base import new_id
from ..scene.writing import revise
from .lists import materials_of, with_lights_aimed, with_new_ids
from .looks import with_metered_exposure
from .made_items import USUAL_SIZE_M, rightmost
from .names import free_ids, free_name
from .tools import Eye, MeasuresOf, Tools


def put_on_set(project: Project, intake: Intake, eye: Eye) -> Project:
    """The project with the model on the set as its subject, in the place of the one before; the first one also decides
    how large set and lights are, and what lights aim at."""
    measures, old = intake.room, project.subject
    placement = intake.item.placement
    placement = centre_placement(measures, placement, placement.centre_method)
    hull = placed_hull(measures, placement)
    size = float(np.ptp(hull, axis=0).max())
    if old is None:
        foot = float((hull[:, [0, 2]] ** 2).sum(axis=1).max() ** 0.5)
        values = {f"set/disc/{name}": value for name, value in _disc_for(size, foot).items()}
        for light in project.look.lights:
            values |= {f"look/lights/{light.id}/{name}": value for name, value in _light_for(light, size).items()}
        project = put_all(project, values)
    identity = old.id if old else free_ids(["item-1"], (x.id for x in project.items), "item")["item-1"]
    item = revise(intake.item, id=identity, rides=old.rides if old else intake.item.rides)
    if old is not None:
        placement = revise(placement, x_m=old.placement.x_m, z_m=old.placement.z_m)
    placement = ground_placement(measures, placement, stand_height_m(project, item))
    project = with_item(project, revise(item, placement=placement), intake.materials)
    project = fit_subject(project, placed_hull(measures, placement))
    if old is not None:
        return project
    sweep = _sweep_for(size, project.camera.distance_m)
    project = put_all(project, {f"set/sweep/{name}": value for name, value in sweep.items()})
    x, y, z = (float(c) for c in aim_point(project.camera.aim, project))
    project = put_all(project, with_lights_aimed(project.look, Aim(x_m=x, y_m=y, z_m=z)))
    return with_metered_exposure(project, Tools(lambda _: measures, eye))  # where nothing lights it yet, it stays


def put_beside(project: Project, intake: Intake, measures_of: MeasuresOf) -> Project:
    """The project with one more model on the set, to the right of all that stands there."""
    measures, placement = intake.room, intake.item.placement
    placement = centre_placement(measures, placement, placement.centre_method)
    right = rightmost(project, measures_of)
    hull = placed_hull(measures, placement)
    size = float(np.ptp(hull, axis=0).max())
    placement = revise(placement, x_m=right + size * 0.1 - float(hull[:, 0].min()))
    name = free_name((x.name for x in project.items), intake.item.name)
    item = revise(intake.item, id=new_id("item"), name=name, rides="set")
    placement = ground_placement(measures, placement, stand_height_m(project, item))
    return with_item(project, revise(item, placement=placement), intake.materials, presented=False)


def with_item(project: Project, item: Item, materials: tuple[Material, ...], presented: bool = True) -> Project:
    """The project with an item and what it wears, in the place of the one of its id or at the end; ids of its parts and
    materials are made free."""
    others = tuple(x for x in project.items if x.id != item.id)
    worn = {m for other in others for m in materials_of(other)}
    old = project.item(item.id)
    before = materials_of(old) if old else set()
    gone = before - worn
    stay = tuple(m for m in project.materials if m.id not in gone)
    part_ids = free_ids([p.id for p in item.parts], (p.id for x in others for p in x.parts), "part")
    same = {m.id: m.id for m in materials if m in stay and m.id in before}
    new_ids = free_ids([m.id for m in materials], (m.id for m in stay), "material", same)
    item = with_new_ids(item, part_ids, new_ids)
    items = tuple(item if x.id == item.id else x for x in project.items) if old else (*project.items, item)
    coming = tuple(revise(m, id=new_ids[m.id]) for m in materials if m.id not in same)
    values: dict[str, object] = {"materials": (*coming, *stay) if presented else (*stay, *coming), "items": items}
    if presented:
        values["subject_id"] = item.id
    values |= left_behind(project, item)
    return put_all(project, values)


def left_behind(project: Project, item: Item) -> dict[str, object]:
    """Values of shots and aims that name colourways and parts an item no longer has."""
    values: dict[str, object] = {}
    colourways, parts = {v.id for v in item.variants}, {p.id for p in item.parts}
    for shot in project.shots:
        stay = tuple(w for w in shot.wears if w.id != item.id or w.variant in colourways)
        if stay != shot.wears:
            values[f"shots/{shot.id}/wears"] = stay
    for camera in project.cameras:
        if camera.aim.item == item.id and camera.aim.part not in (None, *parts):
            values[f"cameras/{camera.id}/aim/part"] = None
    for look in project.looks:
        for light in look.lights:
            if light.aim.item == item.id and light.aim.part not in (None, *parts):
                values[f"looks/{look.id}/lights/{light.id}/aim/part"] = None
    return values


def _disc_for(size: float, foot: float) -> dict[str, float]:
    """The disc for a subject of a size and a reach from the axis, m."""
    return {"radius_m": max(foot * 1.5, size * 0.05), "height_m": size * 0.03, "edge_m": size * 0.008}


def _sweep_for(size: float, camera_m: float) -> dict[str, float]:
    """The sweep round camera and lights, m; no wider than they need, so that its wall is lit too."""
    wide = max(size * 12, 2 * WALL_ROOM * camera_m)
    return {"width_m": wide, "depth_m": wide, "height_m": wide * 0.45, "fillet_m": wide * 0.2}


def _light_for(light: Light, size: float) -> dict[str, float]:
    """The light at a distance, in a size and with a power that suit a subject, m: as it would fall on one of the usual
    size, so that exposure, and what glows beside it, stay where they are."""
    update = {"distance_m": size * 3.2, "width_m": size * 1.3, "height_m": size * 1.3}
    if light.power_unit in ("lm", "cd") and not kind_of(light).distant:
        update["power"] = light.power * (size / USUAL_SIZE_M) ** 2
    return update
