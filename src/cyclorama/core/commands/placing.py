"""Placing items: what follows when something about where they stand has changed."""

import math

from ..geometry.measure import Measures, centre_placement, gap_m, ground_placement
from ..motion import box_corners, stand_height_m
from ..scene import Item, Placement, Project, put, put_all, value_at
from ..scene.base import Then
from ..scene.item import GROUNDS
from ..scene.writing import revise
from .resizing import with_studio_in_size
from .tools import MeasuresOf

STOOD = 1e-5
"""Largest gap, as a share of an item's size, at which the item counts as standing."""


def place_item(project: Project, item: Item, placement: Placement, measures_of: MeasuresOf) -> Project:
    """The project with an item placed otherwise; what stood on it stands on it again."""
    return standing_again(project, put(project, f"items/{item.id}/placement", placement), measures_of)


def settle_placement(project: Project, item: Item, placement: Placement, measures: Measures) -> Placement:
    """A placement that is centred anew, by the method in use, and stands."""
    placement = centre_placement(measures, placement, placement.centre_method)
    return ground_placement(measures, placement, stand_height_m(project, item))


def apply_consequence(
    before: Project, after: Project, path: str, then: Then | None, measures_of: MeasuresOf
) -> Project:
    """The project with what follows from a value that was set at a full path."""
    if then is None:
        return after
    if then == "uncover":
        return _uncovered(after, path.removesuffix("/background/kind"))
    item = _item_at(after, path)
    if item is not None and then == "resize" and item.id == after.subject_id:
        old = value_at(before, f"items/{item.id}/placement")
        after = with_studio_in_size(after, item, item.placement.unit_m / old.unit_m)
        item = _item_at(after, path)
    if item is not None and then in ("settle", "resize") and (measures := measures_of(item)) is not None:
        after = put(after, f"items/{item.id}/placement", settle_placement(after, item, item.placement, measures))
    if item is not None and then in ("carry", "settle"):
        after = _carried_along(before, after, item)
    if item is not None and then == "mount" and (measures := measures_of(item)) is not None:
        after = _mounted(after, item, measures)
    return standing_again(before, after, measures_of)


def _uncovered(project: Project, look: str) -> Project:
    """The project with the environment of a look behind its background, unless keys say when it is seen."""
    path = f"{look}/environment/seen_by_camera"
    keyed = any(channel.path == path for shot in project.shots for channel in shot.channels)
    return project if keyed else put(project, path, False)


def standing_again(before: Project, after: Project, measures_of: MeasuresOf) -> Project:
    """The project `after`, with items grounded again: those that stood before and were not placed otherwise."""
    known = {item.id: item for item in before.items}
    for identity in [item.id for item in _from_below(after)]:
        old, item = known.get(identity), value_at(after, f"items/{identity}")
        if old is None or not _as_high(old.placement, item.placement) or old.made != item.made:
            continue
        now = stand_height_m(after, item)
        then = stand_height_m(before, old)
        measures = measures_of(item) if now != then else None
        if measures is None:
            continue
        if abs(gap_m(measures, old.placement, then)) <= STOOD * _size(measures, old.placement):
            after = put(after, f"items/{item.id}/placement", ground_placement(measures, item.placement, now))
    return after


def _as_high(old: Placement, new: Placement) -> bool:
    """True when two placements differ at most in where on the ground they are, and how turned."""
    return old == revise(new, x_m=old.x_m, z_m=old.z_m, turn_deg=old.turn_deg)


def riders(project: Project, item: Item) -> list[Item]:
    """Items that ride on an item, or on one of its riders."""
    found: list[Item] = []
    under = {item.id}
    for other in _from_below(project):
        if other.rides in under:
            found.append(other)
            under.add(other.id)
    return found


def _carried_along(before: Project, after: Project, item: Item) -> Project:
    """The project whose riders keep their place on an item, however that was moved, turned or scaled."""
    old, new = value_at(before, f"items/{item.id}/placement"), item.placement
    grown = new.scale * new.unit_m / (old.scale * old.unit_m)
    angle = math.radians(new.turn_deg - old.turn_deg)
    cosine, sine = grown * math.cos(angle), grown * math.sin(angle)
    values = {}
    for rider in riders(after, item):
        at, path = rider.placement, f"items/{rider.id}/placement"
        x, z = at.x_m - old.x_m, at.z_m - old.z_m
        values[f"{path}/x_m"] = new.x_m + cosine * x + sine * z
        values[f"{path}/z_m"] = new.z_m - sine * x + cosine * z
        values[f"{path}/turn_deg"] = at.turn_deg + new.turn_deg - old.turn_deg
    return put_all(after, values)


def _mounted(project: Project, item: Item, measures: Measures) -> Project:
    """An item that is to ride on another, and is not above it yet, stands in the middle of its top; what rides on it
    goes along."""
    below = project.item(item.rides)
    corners = None if below is None else box_corners(below)
    if corners is None:
        return project
    low, high = corners[:, [0, 2]].min(axis=0), corners[:, [0, 2]].max(axis=0)
    x, z = item.placement.x_m, item.placement.z_m
    placement = item.placement
    if not (low[0] <= x <= high[0] and low[1] <= z <= high[1]):
        middle = (low + high) / 2
        placement = revise(placement, x_m=float(middle[0]), z_m=float(middle[1]))
    placement = ground_placement(measures, placement, stand_height_m(project, item))
    mounted = put(project, f"items/{item.id}/placement", placement)
    there = mounted.item(item.id)
    assert there is not None
    return _carried_along(project, mounted, there)


def _from_below(project: Project) -> list[Item]:
    """All items, each after its carrier."""
    items = {item.id: item for item in project.items}

    def floors(item: Item) -> int:
        return 0 if item.rides in GROUNDS else 1 + floors(items[item.rides])

    return sorted(project.items, key=floors)


def _item_at(project: Project, path: str) -> Item | None:
    steps = path.split("/")
    return project.item(steps[1]) if steps[0] == "items" and steps[1:] else None


def _size(measures: Measures, placement: Placement) -> float:
    reach = measures.hull.max(axis=0) - measures.hull.min(axis=0)
    return float(reach.max()) * placement.unit_m * placement.scale
