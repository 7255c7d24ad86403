"""Takes on disk that the database does not know, because its log was lost or an earlier copy was restored."""

import logging
from pathlib import Path

from ..core.errors import ChangeError, CycloramaError
from ..core.scene import load_project
from .slate_file import TakeSlate, read_frames, read_slate
from .studio import Studio

_log = logging.getLogger(__name__)
ADOPTED = "Its record was lost; it was made again from the slate beside its frames."


def adopt_takes(studio: Studio) -> list[str]:
    """Record takes again whose frames and slate are on disk; a sentence for each, also in the log.

    A project that is lost with its take comes back as it was when the take was called.
    """
    known, told = set(studio.takes.ids(binned=True)), []
    for folder in sorted((studio.folder / "takes").glob("*")):
        if folder.name in known or not _has_frames(folder):
            continue
        slate = read_slate(folder)
        if slate is None or slate.id != folder.name:
            told.append(f"{folder} holds frames of a take without a record and without a slate. They are left there.")
            continue
        try:
            told.append(_adopt(studio, slate))
        except CycloramaError as error:
            told.append(f"The take in {folder} has no record and cannot be adopted: {error.sentence}")
    for sentence in told:
        _log.warning("%s", sentence)
    studio.takes.write_missing_slates()
    return told


def _adopt(studio: Studio, slate: TakeSlate) -> str:
    """Raises ChangeError."""
    came_back = ""
    if slate.project_id not in studio.projects.ids(binned=True):
        project = load_project(slate.document)
        if project.id != slate.project_id:
            raise ChangeError("its slate belongs to another project.")
        studio.projects.create(project, f"Recovered from the take {slate.name}"[:80])
        came_back = f" Its project ‘{project.name}’ was lost too and is as it was for this take."
    take = studio.takes.adopt(slate, ADOPTED)
    return f"The take ‘{take.name}’ had lost its record and was adopted with {len(take.frames)} frames.{came_back}"


def _has_frames(folder: Path) -> bool:
    return bool(read_frames(folder)) or any((folder / "beauty").glob("[!.]*"))
