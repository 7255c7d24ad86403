"""A turn: from a model file to a project that is ready to be shot, in one step."""

from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Literal, get_args

from pydantic import BaseModel, Field

from ..core.commands.perform import perform
from ..core.commands.place_model import put_on_set
from ..core.commands.stock import SetUp, UseStocked
from ..core.errors import ChangeError, IntakeError
from ..core.geometry.read.formats import format_of
from ..core.geometry.report import IntakeReport
from ..core.render.compile.compiler import SceneCompiler
from ..core.render.film.picking import PickProbe
from ..core.render.film.tracer import Tracer
from ..core.review import readiness, review
from ..core.scene import FOR_CLIPS, Project, new_project, put_all
from ..core.scene.stocked import ReadySet, Stocked, StockedLook, StockedSet
from ..store import Saved, Studio
from .confined_results import Tell
from .intakes import KEPT, read_confined, title_of
from .uploads import scratch_folder

REFERS = {".gltf", ".obj", ".usda", ".usd", ".usdc", ".dae"}
"""Endings of models that refer to files beside them."""
MOST_FILES, MOST_BYTES = 500, 4 << 30


Side = Annotated[int, Field(ge=16, le=8192)]


class TurnWishes(BaseModel):
    """Settings of a turn. None stands for the value of new projects."""

    seconds: Annotated[float | None, Field(ge=0.01, le=3600)] = None
    size: tuple[Side, Side] | None = None
    quality: Literal["draft", "fine", "print"] = "fine"
    set_name: str | None = None
    """set, lights and surroundings: a ready set, or one kept in the stockroom"""
    look_name: str | None = None
    """lights and surroundings kept in the stockroom"""


@dataclass(frozen=True, slots=True)
class TurnedModel:
    """A project made from a model, with the guesses."""

    saved: Saved
    guessed: tuple[str, ...]
    """sentences about unit, axis and repairs"""
    ready: str
    """sentence about the coming shoot"""
    odd: tuple[str, ...]
    """sentences about oddities"""


def models_in(path: Path) -> list[Path]:
    """The model that is meant: each of those that lie in a folder, where there are several that know nothing of each
    other; else the file or folder itself."""
    if not path.is_dir():
        return [path]
    there = sorted(one for one in path.iterdir() if one.is_file() and not one.name.startswith("."))
    alone = [one for one in there if _stands_alone(one)]
    return alone if len(alone) > 1 else [path]


def _stands_alone(file: Path) -> bool:
    """True of a model that is no layer of another, and of a zip, which holds one."""
    known = format_of(file.name)
    return file.suffix.lower() == ".zip" or (known is not None and known.root is None)


def model_files(path: Path) -> dict[str, Path]:
    """Files of a model by name: the file alone, or with those beside it where it may refer to them; all of a folder.

    Raises IntakeError when there is none, or are too many.
    """
    if not path.exists():
        raise IntakeError(f"There is no file ‘{path}’.")
    path = path.resolve()  # its reader is at work in a folder of its own
    folder = path if path.is_dir() else path.parent
    if path.is_file() and path.suffix.lower() not in REFERS:
        return {path.name: path}
    beside = (p for p in folder.rglob("*") if p.is_file() and not p.name.startswith("."))
    files = {path.name: path} if path.is_file() else {}
    for one in beside:
        if path.is_file() and one != path and _stands_alone(one):
            continue  # another model
        files[one.relative_to(folder).as_posix()] = one
        if len(files) > MOST_FILES or sum(p.stat().st_size for p in files.values()) > MOST_BYTES:
            raise IntakeError(f"There is too much beside ‘{path.name}’. Put it with its files into a folder alone.")
    if not files:
        raise IntakeError(f"The folder ‘{path}’ is empty.")
    return files


def set_ups(wishes: TurnWishes, stock: Iterable[Stocked]) -> list[SetUp | UseStocked]:
    """Commands that put a model on the set and into the look that are wished for, by their names in any spelling of
    blanks and capitals. Raises ChangeError for a name that is not known."""
    sets: dict[str, SetUp | UseStocked] = {_plain(name): SetUp(ready=name) for name in get_args(ReadySet)}
    looks: dict[str, SetUp | UseStocked] = {}
    for kept in stock:
        if isinstance(kept.content, StockedSet):
            sets[_plain(kept.name)] = UseStocked(stocked=kept)
        elif isinstance(kept.content, StockedLook):
            looks[_plain(kept.name)] = UseStocked(stocked=kept)
    wanted = (("set", wishes.set_name, sets), ("look", wishes.look_name, looks))
    return [_named(kind, name, known) for kind, name, known in wanted if name is not None]


def _named(kind: str, name: str, known: dict[str, SetUp | UseStocked]) -> SetUp | UseStocked:
    if _plain(name) not in known:
        names = f"Known: {', '.join(known)}" if known else f"No {kind} is kept in the stockroom"
        raise ChangeError(f"There is no {kind} ‘{name}’. {names}.")
    return known[_plain(name)]


def _plain(name: str) -> str:
    return "-".join(name.lower().replace("-", " ").split())


def make_turn(studio: Studio, path: Path, wishes: TurnWishes, tracer: Tracer, tell: Tell) -> TurnedModel:
    """Bring a model into a new project, fitted, grounded and metered, with the settings that are wished for.

    Raises IntakeError and ChangeError; nothing is left in the studio then but files that are tidied away.
    """
    files, changes = model_files(path), set_ups(wishes, studio.stock.all())
    with scratch_folder(studio.folder) as folder:
        paths = {name: str(file) for name, file in files.items()}
        reads = tuple({file.parent for file in files.values()})
        intake = read_confined(paths, folder, path.name, tell, reads)
        studio.assets.keep_all(folder / KEPT)
    studio.keep_intake(intake)
    eye = PickProbe(SceneCompiler(studio.assets.get), tracer)
    project = put_on_set(new_project(title_of(path.name), FOR_CLIPS), intake, eye)
    for change in changes:
        project, _ = perform(project, change, studio.measures_if_whole, eye)
    project = put_all(project, _values(project, wishes))
    key = studio.projects.create(new_project(project.name, FOR_CLIPS)).project.id
    saved = studio.projects.edit(key, None, f"Bring in {path.name}", lambda empty: put_all(project, {"id": empty.id}))
    ready = readiness(review(saved.project, studio.measures(saved.project.subject)))
    return TurnedModel(saved, _guesses(intake.report), ready.sentence, (*ready.blocking, *ready.odd))


def _values(project: Project, wishes: TurnWishes) -> dict[str, object]:
    values: dict[str, object] = {"shot/shoot/quality": wishes.quality}
    if wishes.seconds is not None:
        values["shot/frames"] = max(1, round(wishes.seconds * project.rate_num / project.rate_den))
    if wishes.size is not None:
        values |= {"shot/shoot/width": wishes.size[0], "shot/shoot/height": wishes.size[1]}
    return values


def _guesses(report: IntakeReport) -> tuple[str, ...]:
    x, y, z = (side * report.unit_m * 1000 for side in report.size_file_units)
    size = f"It is {x:.4g} × {y:.4g} × {z:.4g} mm: {report.unit_reason}."
    found = (f"{finding.what} {finding.done}".strip() for finding in report.findings)
    return (size, f"{report.up.upper()} is up: {report.up_reason}.", *found)
