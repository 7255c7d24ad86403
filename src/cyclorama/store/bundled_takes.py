"""Takes in a bundle: slate, frames and files of each, in `takes/<id>/`."""

import os
import re
import shutil
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import Literal, get_args

from ..core.errors import ChangeError, IntakeError
from ..core.scene import Project, load_project
from ..core.scene.shoot import PassName
from ..core.scene.writing import revise
from ..core.sequence.names import frame_name
from .frame_record import FileSum, FrameRecord
from .slate_file import FRAMES, SLATE, TakeSlate, append_frames, read_frames, read_slate, write_slate
from .studio import Studio
from .takes import BEAUTY, MASTER, THUMB, TakeRecord, slate_of

TakesIn = Literal["none", "used", "all"]
"""Takes in a bundle: none, those that the cut shows, all of the project."""
FOLDER = "takes"
KINDS = (BEAUTY, THUMB, MASTER, *get_args(PassName))
_NAME = re.compile(r"[^./\\\x00-\x1f][^/\\\x00-\x1f]{0,199}")
OPENED = "Opened from a bundle."
Show = Callable[[Path, Project, int], dict[str, FileSum]]
"""Makes the files that show a frame from its master, in the folder of its take; the sums of what it has written."""


def is_take_file(name: str) -> bool:
    """True for the path of a file that a take's folder may have."""
    if name in (SLATE, FRAMES):
        return True
    kind, _, file = name.partition("/")
    return kind in KINDS and _NAME.fullmatch(file) is not None


def files_of(take: TakeRecord, masters_only: bool) -> dict[str, Path]:
    """Files of a take's finished frames by their paths in its folder; of one without masters its pictures in any case.

    masters_only: neither pictures nor passes, which can be made anew or are not wanted.
    """
    kinds = {kind for frame in take.frames.values() for kind in frame.files}
    if masters_only:
        kinds = {MASTER} if MASTER in kinds else {BEAUTY}
    return {
        f"{kind}/{path.name}": path
        for kind in KINDS
        if kind in kinds and (take.folder / kind).is_dir()
        for path in sorted((take.folder / kind).iterdir())
        if _NAME.fullmatch(path.name) and path.suffix != ".part"
    }


def pack_take(take: TakeRecord, masters_only: bool, scratch: Path) -> Iterator[tuple[str, Path]]:
    """Paths in the bundle and files of a take, its slate and frames written into a folder for that."""
    folder = scratch / take.id
    called = read_slate(take.folder)
    version = called.project_version if called else 1
    write_slate(folder, slate_of(take, take.project.model_dump_json(), version))
    append_frames(folder, list(take.frames.values()))
    files = {SLATE: folder / SLATE, FRAMES: folder / FRAMES} | files_of(take, masters_only)
    for name, path in files.items():
        yield f"{FOLDER}/{take.id}/{name}", path


def keep_take(studio: Studio, folder: Path, project: Project, show: Show) -> TakeRecord | None:
    """Keep a take that lies in a folder as a take of a project; None where a take of its id is here already.

    Raises IntakeError when it cannot be used; nothing of it stays then.
    """
    slate = read_slate(folder)
    if slate is None or slate.id != folder.name or not re.fullmatch(r"[a-z0-9-]{1,120}", slate.id):
        raise IntakeError("A take in the bundle has no slate. Make the bundle again.")
    if slate.id in studio.takes.ids(binned=True):
        return None
    target = studio.takes.root / slate.id
    if target.exists():
        raise IntakeError(
            f"A folder of the take ‘{slate.name}’ is here already. Remove it, then open the bundle again."
        )
    try:
        shot = load_project(slate.document)
        if shot.id != project.id:
            shot = revise(shot, id=project.id)
        there = {f"{kind}/{path.stem}" for kind in KINDS for path in (folder / kind).glob("*")}
        frames = [_shown(folder, shot, frame, there, show) for frame in read_frames(folder).values()]
        (folder / FRAMES).unlink(missing_ok=True)
        append_frames(folder, [frame for frame in frames if frame is not None])
        slate = TakeSlate.model_validate({**dict(slate), "project_id": project.id, "document": shot.model_dump_json()})
        write_slate(folder, slate)
        target.parent.mkdir(exist_ok=True)
        os.replace(folder, target)
        return studio.takes.adopt(slate, OPENED)
    except (ChangeError, ValueError) as error:
        shutil.rmtree(target, ignore_errors=True)
        raise IntakeError(f"The take ‘{slate.name}’ in the bundle cannot be used. Make the bundle again.") from error


def _shown(folder: Path, project: Project, frame: FrameRecord, there: set[str], show: Show) -> FrameRecord | None:
    """A frame with the files that came along; its picture is made of its master where that alone came. None where it
    is not one of its take.

    there: kinds and stems of the files that came.
    """
    if frame.number not in project.shot.frame_numbers or frame.file != frame_name(project, frame.number):
        return None
    stems = {THUMB: str(frame.number)}
    files = {k: known for k, known in frame.files.items() if f"{k}/{stems.get(k, Path(frame.file).stem)}" in there}
    if BEAUTY not in files and MASTER in files:
        files |= show(folder, project, frame.number)
    return replace(frame, files=files) if BEAUTY in files else None
