"""Several takes planned at once: shots in looks and colourways, through cameras, with passes."""

from collections.abc import Sequence

from ..errors import ChangeError
from ..geometry.measure import Measures
from ..review.measures import review
from ..review.phrases import data_size, duration
from ..review.readiness import readiness
from ..scene import Doc, Project, put, put_all
from ..scene.base import Id
from ..scene.shoot import PassName
from ..scene.shot import Wears
from ..sequence.names import first_and_last
from ..sequence.size import frame_bytes

MOST_TAKES = 200


class Cell(Doc):
    """A shot in a look, in a colourway of the subject, through a camera, with passes; None: as the shot has it."""

    shot: Id
    look: Id | None = None
    colourway: Id | None = None
    camera: Id | None = None
    passes: tuple[PassName, ...] | None = None


class PlannedTake(Doc):
    """One take of a plan."""

    cell: Cell
    name: str
    """of the shot, and of look, colourway and camera where they are not its own"""
    frames: int
    disk: str
    """about how much room it takes, in words"""
    files: str
    """names of its first and last frame"""
    odd: tuple[str, ...]
    blocking: tuple[str, ...]


class Plan(Doc):
    """All takes of a plan, and what they come to."""

    takes: tuple[PlannedTake, ...]
    sentence: str


def as_planned(project: Project, cell: Cell) -> Project:
    """The project with the shot of a cell open, as the cell says. Raises ChangeError for what is gone."""
    if all(shot.id != cell.shot for shot in project.shots):
        raise ChangeError("A shot of this plan is not there any more. Plan again.")
    project = put(project, "shot_id", cell.shot)
    asked = {"shot/look_id": cell.look, "shot/camera_id": cell.camera, "shot/shoot/passes/wanted": cell.passes}
    project = put_all(project, {path: value for path, value in asked.items() if value is not None})
    subject = project.subject
    if cell.colourway is None or subject is None:
        return project
    if all(variant.id != cell.colourway for variant in subject.variants):
        raise ChangeError("A colourway of this plan is not there any more. Plan again.")
    others = tuple(w for w in project.shot.wears if w.id != subject.id)
    return put(project, "shot/wears", (*others, Wears(id=subject.id, variant=cell.colourway)))


def as_called(project: Project) -> Project:
    """The project as a take of it is called: a frame that has none beside it is cleaned by itself."""
    numbers = project.shot.frame_numbers
    return project if len(numbers) > 1 and numbers.step == 1 else put(project, "shot/shoot/denoise_neighbours", False)


def name_of(project: Project, cell: Cell) -> str:
    """Name of a cell's take before its number."""
    there = as_planned(project, cell)
    more = []
    own = put(project, "shot_id", cell.shot).shot
    if cell.look is not None and cell.look != own.look_id:
        more.append(there.look.name)
    if cell.colourway is not None and there.subject is not None and len(there.subject.variants) > 1:
        more.append(next(v.name for v in there.subject.variants if v.id == cell.colourway))
    if cell.camera is not None and cell.camera != own.camera_id:
        more.append(there.camera.name)
    return ", ".join([there.shot.name, *more])


def plan_takes(
    project: Project, cells: tuple[Cell, ...], measures: Measures | None, forecasts_s: Sequence[float | None] = ()
) -> Plan:
    """Takes of a plan, in its order.

    measures: of the subject, None where there is none; forecasts_s: of the takes, as far as they are known.
    """
    takes, room, names = [], 0, set[str]()
    for cell in cells:
        there = as_planned(project, cell)
        ready = readiness(review(there, measures))
        frames = len(there.shot.frame_numbers)
        size = frame_bytes(there) * frames
        room += size
        files, odd = first_and_last(there), ready.odd
        if files in names:
            odd = (
                *odd,
                "Its files are named like those of a take above; put {look}, {colourway} or {camera} into "
                "the file name to tell them apart.",
            )
        names.add(files)
        takes.append(
            PlannedTake(
                cell=cell,
                name=name_of(project, cell),
                frames=frames,
                disk=data_size(size),
                files=files,
                odd=odd,
                blocking=ready.blocking,
            )
        )
    count = f"{len(takes)} take{'s' if len(takes) != 1 else ''}"
    frames = sum(take.frames for take in takes)
    known = [seconds for seconds in forecasts_s if seconds is not None]
    time = f", about {duration(sum(known))}" if len(known) == len(takes) else ""
    return Plan(takes=tuple(takes), sentence=f"{count}, {frames} frames, about {data_size(room)} on disk{time}.")
