"""One frame of which only a part is shot; all else is what an older take shows there."""

import numpy as np

from ..core.errors import ShootError
from ..core.motion import moment
from ..core.render.film.frame import finish_of
from ..core.scene import Project, put_all
from ..core.scene.shoot import Again, Region
from ..shoot.finish.masters import why_not_gradable
from ..shoot.frames.executors import frame_files
from ..shoot.frames.files import file_path, frame_path, lacking, master_name, sum_of
from ..shoot.frames.pass_files import exact_picture_of
from ..shoot.frames.pipeline import FramePicture
from ..shoot.run.worker import ensure_worker
from ..store import FileSum, FrameRecord, Saved, Studio, TakeRecord
from ..store.assets import write_whole
from .takes import record_take, remove


def call_part(studio: Studio, saved: Saved, number: int, region: Region, start: bool = True) -> TakeRecord:
    """Queue a take of one frame as the project has it now, of which only a part is shot.

    Raises ShootError where the shot has no take with that frame in this size, or something blocks shooting.
    """
    values = {
        "shot/shoot/from_frame": number,
        "shot/shoot/to_frame": number,
        "shot/shoot/masters": True,
        "shot/shoot/passes/wanted": (),
    }
    project = put_all(saved.project, values)
    source = _newest_with(studio, project, number)
    if source is None:
        s = project.shot.shoot
        raise ShootError(
            f"No take of ‘{project.shot.name}’ shows frame {number} in {s.width}×{s.height}: there is nothing to put a "
            "part into. Shoot a test frame of it first."
        )
    picture = exact_picture_of(source, master_name(source), number).astype(np.float32)
    take = record_take(studio, project, saved.version, f"frame {number}, a part", queued=False)
    try:
        _put_there(studio, take, number, picture)
    except Exception:
        remove(studio, take.id)
        raise
    studio.takes.begin_again(take.id, [number], Again(region=region))
    studio.takes.take_turns([take.id])  # somebody waits for it
    if start:
        ensure_worker(studio)
    return studio.takes.get(take.id)


def _newest_with(studio: Studio, project: Project, number: int) -> TakeRecord | None:
    """The newest take of a shot that has a frame which a part of its picture can be put into. One that was denoised or
    re-balanced shows something else than what is shot."""
    s = project.shot.shoot
    for line in studio.take_list.all(project.id):
        if line.slate is None or (line.slate.width, line.slate.height) != (s.width, s.height) or not line.finished:
            continue
        take = studio.takes.get(line.id)
        shot = take.project.shot
        alike = shot.id == project.shot.id and shot.shoot.background == s.background and take.source_id is None
        if alike and why_not_gradable(take) is None and lacking(take, number) is not None:
            return take
    return None


def _put_there(studio: Studio, take: TakeRecord, number: int, picture: np.ndarray) -> None:
    """Write the files of a frame that shows a picture (h, w, 3) or with alpha (h, w, 4), scene-linear."""
    alpha = picture[..., 3] if take.project.shot.shoot.transparent else None
    finish = finish_of(moment(take.project, number))
    made = FramePicture(np.ascontiguousarray(picture[..., :3]), alpha, iter(()), None, finish)
    files: dict[str, FileSum | None] = {}
    for name, data in frame_files(number, made, take.project, studio.assets.get):
        path = file_path(take, name, number)
        path.parent.mkdir(parents=True, exist_ok=True)
        write_whole(path, data)
        files[name] = sum_of(data)
    studio.takes.add_frame(take.id, FrameRecord(number, frame_path(take, number).name, files, 0.0))
