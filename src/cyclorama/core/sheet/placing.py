"""Placing items: what follows when something about where they stand has changed."""

from collections.abc import Callable

from ..geometry.measure import Measures, centred, gap_m, grounded
from ..motion import stand_height_m
from ..scene import Item, Placement, Project, put, put_all, value_at
from ..scene.base import Then
from ..scene.item import GROUNDS, ON_CAMERA, ON_DISC

MeasuresOf = Callable[[Item], Measures | None]
STOOD = 1e-5
"""An item stands when its gap to what it stands on is below this share of its size."""


def placed(project: Project, item: Item, placement: Placement, measures_of: MeasuresOf) -> Project:
    """The project with an item placed otherwise; what stood on it stands on it again."""
    return standing_again(project, put(project, f"items/{item.id}/placement", placement), measures_of)


def settled(project: Project, item: Item, placement: Placement, measures: Measures) -> Placement:
    """A placement that is centred anew, by the method in use, and stands."""
    placement = centred(measures, placement, placement.centre_method)
    return grounded(measures, placement, stand_height_m(project, item))


def followed(before: Project, after: Project, path: str, then: Then | None, measures_of: MeasuresOf) -> Project:
    """The project with what follows from a value that was set at a full path."""
    if then is None:
        return after
    item = _item_at(after, path)
    if item is not None and then == "settle" and (measures := measures_of(item)) is not None:
        after = put(after, f"items/{item.id}/placement", settled(after, item, item.placement, measures))
    if item is not None and then == "carry":
        after = _carried_along(before, after, item)
    return standing_again(before, after, measures_of)


def standing_again(before: Project, after: Project, measures_of: MeasuresOf) -> Project:
    """The project `after`: what stood before, and has not been placed otherwise, stands on what is under it now."""
    known = {item.id: item for item in before.items}
    for identity in [item.id for item in _from_below(after)]:
        old, item = known.get(identity), value_at(after, f"items/{identity}")
        if old is None or old.placement != item.placement or old.made != item.made:
            continue
        now = stand_height_m(after, item)
        then = stand_height_m(before, old)
        measures = measures_of(item) if now != then else None
        if measures is None:
            continue
        if abs(gap_m(measures, old.placement, then)) <= STOOD * _size(measures, old.placement):
            after = put(after, f"items/{item.id}/placement", grounded(measures, item.placement, now))
    return after


def riders(project: Project, item: Item) -> list[Item]:
    """What rides on an item, or on what rides on it."""
    found: list[Item] = []
    under = {item.id}
    for other in _from_below(project):
        if other.rides in under:
            found.append(other)
            under.add(other.id)
    return found


def stands_on(project: Project, item: Item) -> str:
    """‘the disc’, ‘the floor’, or the name of the item that an item stands on."""
    below = project.item(item.rides)
    if below is not None:
        return f"‘{below.name}’"
    if item.rides == ON_CAMERA:
        return "nothing, it goes along with the camera"
    return "the disc" if item.rides == ON_DISC and project.set.disc.on else "the floor"


def _carried_along(before: Project, after: Project, item: Item) -> Project:
    old = value_at(before, f"items/{item.id}/placement")
    by_x, by_z = item.placement.x_m - old.x_m, item.placement.z_m - old.z_m
    values = {}
    for rider in riders(after, item):
        values[f"items/{rider.id}/placement/x_m"] = rider.placement.x_m + by_x
        values[f"items/{rider.id}/placement/z_m"] = rider.placement.z_m + by_z
    return put_all(after, values)


def _from_below(project: Project) -> list[Item]:
    """All items, each after what it rides on."""
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
