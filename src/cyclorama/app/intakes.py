"""Intakes: models on their way in, each read by a process of its own, and put on the set when it has been read."""

import secrets
import shutil
from collections.abc import Callable, Sequence
from pathlib import Path, PurePosixPath
from typing import Any

from pydantic import BaseModel

from ..core.commands.place_model import put_beside, put_on_set
from ..core.commands.replace import finest, match_by_name, standing, with_subject_remade
from ..core.errors import ChangeError, IntakeError
from ..core.geometry.cache_keys import Intake, rig_key
from ..core.scene import FOR_CLIPS, Detail, Project, new_project
from ..store import Studio
from ..store.bundle import is_bundle, keep_bundle
from ..store.jobs import Job, Result
from .bundles import shown_from_master
from .confined import run_limited
from .confined_results import Tell
from .intake_children import examine_in_child, read_again, read_and_keep
from .jobs import JobContext, JobRunner, Kind, Unwanted
from .lens import Lens, LensEye
from .uploads import INCOMING, Uploads, scratch_folder

LONGEST_S = 900.0
MEMORY_LIMIT_BYTES = 12 << 30
LARGE = 1_000_000
"""Models of more triangles are metered on their stand-ins: the studio loads them only when they are looked at."""
KEPT = "kept"
"""Folder of a job in which its reader puts what is to be kept."""
FAULT = "This could not be put on the set; the project is as it was. The terminal that runs Cyclorama tells more."


class Incoming(BaseModel):
    """Request for an intake."""

    folder: str
    """of what was sent, inside the folder for such"""
    files: dict[str, str]
    """their names there, by the names their senders gave them"""
    project_id: str | None
    """where it is put; None: into a project of its own"""
    beside: bool = False
    """beside what stands on the set, not in place of the subject"""


class Anew(BaseModel):
    """Request to make a subject again from its source."""

    project_id: str
    source: str
    detail: Detail
    off: float
    """how far it may be off its source, in units of the file"""


def ask_for_intake(work: JobRunner, uploads: Uploads, project_id: str | None, beside: bool = False) -> Job:
    """Have what was sent brought in; it is removed when the intake has ended."""
    files = {name: path.name for name, path in uploads.paths.items()}
    name = next(iter(files))
    spec = Incoming(folder=uploads.folder.name, files=files, project_id=project_id, beside=beside)
    return work.ask("intake", uploads.folder.name, name, spec)


def ask_for_detail(work: JobRunner, studio: Studio, project_id: str, detail: Detail) -> Job:
    """Have the subject made anew from its source, as finely as shows in this framing.

    Raises ChangeError when there is none, or its source is gone.
    """
    project = studio.projects.get(project_id).project
    subject, off = finest(project, studio.measures(project.subject), detail)
    if not studio.assets.has(subject.source):
        raise ChangeError(f"The source of ‘{subject.source_name}’ is gone. Bring the model in again.")
    spec = Anew(project_id=project_id, source=subject.source, detail=detail, off=off)
    return work.ask("again", secrets.token_hex(8), subject.source_name, spec)


def intake_kinds(studio: Studio, lens: Lens) -> tuple[Kind, Kind]:
    """Job kinds that bring models in, and make them again."""
    incoming = studio.folder / INCOMING

    def clear(job: Job) -> None:
        shutil.rmtree(incoming / Incoming.model_validate_json(job.spec).folder, ignore_errors=True)

    return (
        Kind(lambda job, hand: _bring_in(studio, lens, job, hand), FAULT, clear=clear),
        Kind(lambda job, hand: _make_again(studio, job, hand), FAULT),
    )


def _bring_in(studio: Studio, lens: Lens, job: Job, hand: JobContext) -> Result:
    spec = Incoming.model_validate_json(job.spec)
    folder = studio.folder / INCOMING / spec.folder
    paths = {name: str(folder / file) for name, file in spec.files.items()}
    if len(paths) == 1 and is_bundle(only := Path(*paths.values())):
        return _open(studio, only, spec.project_id, job, hand)
    intake: Intake = _limited(job, hand, read_and_keep, paths, folder / KEPT, folder=folder)
    studio.assets.keep_all(folder / KEPT)
    studio.keep_intake(intake)
    if spec.beside and spec.project_id is not None and studio.projects.get(spec.project_id).project.items:
        return _accept_beside(studio, intake, spec.project_id, hand)
    return _accept(studio, lens, intake, spec.project_id, hand)


def _open(studio: Studio, path: Path, project_id: str | None, job: Job, hand: JobContext) -> Result:
    """A bundle is a project of its own."""
    if project_id is not None:
        raise IntakeError("That is a bundle with a project of its own. Drop it on the reel wall to open it.")
    examined = _limited(job, hand, examine_in_child, path, folder=path.parent)
    opened = keep_bundle(studio, examined, path.parent, shown_from_master(studio))
    version = studio.projects.version(opened.id)
    return {"project": opened.id, "version": version, "kept": 0, "says": " ".join(opened.says)}


def _make_again(studio: Studio, job: Job, hand: JobContext) -> Result:
    spec = Anew.model_validate_json(job.spec)
    assets = studio.folder / "assets"
    with scratch_folder(studio.folder) as folder:
        given = (spec.source, spec.detail, spec.off, assets, folder / KEPT)
        intake: Intake = _limited(job, hand, read_again, *given, folder=folder, reads=(assets,))
        studio.assets.keep_all(folder / KEPT)
    studio.keep_intake(intake)
    _go_on(hand)

    def remade(project: Project) -> Project:
        return standing(with_subject_remade(project, intake), project, studio.measures_if_whole)

    saved = studio.projects.edit(spec.project_id, None, f"Make {intake.item.source_name} again", remade)
    return {"project": spec.project_id, "version": saved.version, "triangles": intake.report.triangles}


def _limited(
    job: Job, hand: JobContext, read: Callable[..., Any], *given: Any, folder: Path, reads: Sequence[Path] = ()
) -> Any:
    """Result of a reader on the files of a job, in a process of its own."""
    tell: Tell = lambda what, share: hand.tell(what, share * 0.98)  # noqa: E731
    return _confined(read, given, job.name, folder, reads, tell, hand.unwanted)


def read_confined(paths: dict[str, str], folder: Path, name: str, tell: Tell, reads: Sequence[Path]) -> Intake:
    """Intake of a model's files, read in a process of its own; kept in a folder below `folder`. Raises IntakeError."""
    return _confined(read_and_keep, (paths, folder / KEPT), name, folder, reads, tell, lambda: False)


def _confined(
    read: Callable[..., Any],
    given: Sequence[Any],
    name: str,
    folder: Path,
    reads: Sequence[Path],
    tell: Tell,
    unwanted: Callable[[], bool],
) -> Any:
    return run_limited(
        read,
        *given,
        folder=folder,
        reads=reads,
        memory_bytes=MEMORY_LIMIT_BYTES,
        longest_s=LONGEST_S,
        tell=tell,
        unwanted=unwanted,
        too_long=f"‘{name}’ takes too long to read; it was given up. Reduce it first.",
        gave_up=f"‘{name}’ is damaged: its reader broke down over it. Export it again, or in another format.",
    )


def _accept(studio: Studio, lens: Lens, intake: Intake, project_id: str | None, hand: JobContext) -> Result:
    """Put what came in on the set, fitted and grounded, as one step that can be undone."""
    while not (lens.ready.wait(0.1) or lens.unprepared):
        hand.tell(lens.preparing, 0.98)
        _go_on(hand)
    hand.tell("Putting it on the set, metering the light", 0.98)
    is_large = intake.report.triangles > LARGE and not studio.assets.has(rig_key(intake.item.asset))
    eye = LensEye(lens, frozenset({intake.item.asset}) if is_large else frozenset())
    kept = 0

    def placed(project: Project) -> Project:
        nonlocal kept
        matched, kept = match_by_name(project, intake)
        after = put_on_set(project, matched, eye)
        _go_on(hand)
        return after

    label = f"Bring in {intake.item.source_name}"
    if project_id is None:
        project = new_project(title_of(intake.item.source_name), FOR_CLIPS)
        after = placed(project)  # nothing is left of a new project whose model cannot be placed
        project_id = studio.projects.create(project).project.id
        saved = studio.projects.edit(project_id, None, label, lambda _: after)
    else:
        saved = studio.projects.edit(project_id, None, label, placed)
    return {"project": project_id, "version": saved.version, "kept": kept}


def _accept_beside(studio: Studio, intake: Intake, project_id: str, hand: JobContext) -> Result:
    """Put what came in beside what stands on the set, as one step that can be undone."""
    _go_on(hand)

    def placed(project: Project) -> Project:
        return put_beside(project, intake, studio.measures_if_whole)

    saved = studio.projects.edit(project_id, None, f"Bring in {intake.item.source_name}", placed)
    return {"project": project_id, "version": saved.version, "kept": 0}


def _go_on(hand: JobContext) -> None:
    if hand.unwanted():
        raise Unwanted


def title_of(source_name: str) -> str:
    """Name of a project that begins with a file."""
    stem = PurePosixPath(source_name).stem.replace("-", " ").replace("_", " ").strip()
    return stem[:80].capitalize() or "Untitled"
