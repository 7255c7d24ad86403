"""Where items stand: on the axis, on the floor, on which side."""

from typing import Literal

from ..geometry.measure import centre_placement, ground_placement
from ..geometry.resting_pose import lay_on_side
from ..motion import stand_height_m
from ..scene import Doc, Item, Project
from ..scene.base import Id
from ..scene.item import CentreMethod, Resting
from .base import performs
from .placing import place_item, settle_placement
from .tools import Tools

_LAID = {
    "as it came": "Stand as it came",
    "face": "Lay on its face",
    "back": "Lay on its back",
    "left": "Lay on its left side",
    "right": "Lay on its right side",
    "head": "Stand on its head",
}


class Centre(Doc):
    """Put an item's measured centre on the axis of its turn."""

    kind: Literal["centre"] = "centre"
    method: CentreMethod = "box"
    item: Id | None = None
    """None: the subject"""


@performs(Centre)
def _centre(project: Project, change: Centre, tools: Tools) -> tuple[Project, str]:
    item, measures = tools.item(project, change.item)
    placement = centre_placement(measures, item.placement, change.method)
    return place_item(project, item, placement, tools.measures_of), f"Centre {_called(project, item)}"


class StandOnFloor(Doc):
    """Lift or lower an item until its lowest point touches its ground."""

    kind: Literal["stand"] = "stand"
    item: Id | None = None


@performs(StandOnFloor)
def _stand(project: Project, change: StandOnFloor, tools: Tools) -> tuple[Project, str]:
    item, measures = tools.item(project, change.item)
    placement = ground_placement(measures, item.placement, stand_height_m(project, item))
    return place_item(project, item, placement, tools.measures_of), "Stand on floor"


class LayDown(Doc):
    """Lay an item on a side: tipped or rolled that way, then settled on the face it would rest on."""

    kind: Literal["lay"] = "lay"
    on: Resting
    item: Id | None = None


@performs(LayDown)
def _lay(project: Project, change: LayDown, tools: Tools) -> tuple[Project, str]:
    item, measures = tools.item(project, change.item)
    placement = settle_placement(project, item, lay_on_side(measures, item.placement, change.on), measures)
    return place_item(project, item, placement, tools.measures_of), _LAID[change.on]


def _called(project: Project, item: Item) -> str:
    return "the subject" if item.id == project.subject_id else item.name
