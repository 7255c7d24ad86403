"""Tools of commands: measures of items, and an eye that looks through the camera."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

from ..arrays import Mat4, Vec3
from ..errors import ChangeError
from ..framing import SurfacePoint
from ..geometry.filling import Hollow
from ..geometry.measure import Measures
from ..light.balance import Apart
from ..light.placement import Surface
from ..motion import Moment
from ..scene import Item, Project

MeasuresOf = Callable[[Item], Measures | None]
"""Gives the measures of an item, None where there are none."""


class Eye(Protocol):
    """Looks through the camera, for changes that need the picture."""

    def meter(self, moments: list[Moment]) -> float | None:
        """EV100 over some moments; None when the subject is black or absent."""

    def point(self, moment: Moment, x: float, y: float) -> SurfacePoint | None:
        """The surface point seen at a place; None where nothing is."""

    def apart(self, moment: Moment, lights: tuple[str, ...]) -> Apart | None:
        """The light of some lamps that are on, and of all else, on the subject; None where it is not seen."""

    def surface(self, moment: Moment, x: float, y: float) -> Surface | None:
        """The surface seen at a place, as it stands in the moment; None where nothing is."""

    def hollow(self, item: Item) -> Hollow | None:
        """The hollow of an item as it stands; None where it has none."""

    def copies(self, moment: Moment, item: Item) -> list[tuple[int, Mat4]]:
        """The copies of one of the moment's items: which prototype each is of, and its pose seen from the item's own
        place."""

    def colour(self, moment: Moment, x: float, y: float) -> Vec3 | None:
        """Radiance (3,) at a place; None where nothing is."""


@dataclass(frozen=True, slots=True)
class Tools:
    measures_of: MeasuresOf
    eye: Eye

    def item(self, project: Project, identity: str | None) -> tuple[Item, Measures]:
        """An item, the subject unless another is told, with its measures."""
        item = project.item(identity or project.subject_id)
        measures = None if item is None else self.measures_of(item)
        if item is None or measures is None:
            raise ChangeError("There is no subject yet. Bring a model in first.")
        return item, measures
