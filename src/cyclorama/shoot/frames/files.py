"""Where a take's files lie, and which of them are whole."""

import hashlib
from pathlib import Path
from typing import cast

from ...core.errors import ShootError
from ...core.render.passes.outputs import pass_extension
from ...core.scene.shoot import PICTURE_EXTENSIONS, PassName
from ...core.sequence.names import frame_name
from ...store import FileSum, TakeRecord
from ...store.takes import BEAUTY, MASTER, THUMB


def frame_path(take: TakeRecord, number: int) -> Path:
    """Where a frame's file lies."""
    return take.folder / BEAUTY / frame_name(take.project, number)


def thumb_path(folder: Path, number: int) -> Path:
    """Where the small picture of a frame lies in its take's folder."""
    return folder / THUMB / f"{number}.jpg"


def pass_path(take: TakeRecord, name: PassName, number: int) -> Path:
    """Where a pass's file of a frame lies: in a folder of its own."""
    stem, s = Path(frame_name(take.project, number)).stem, take.project.shot.shoot
    path = take.folder / name / f"{stem}.{pass_extension(s, name)}"
    if name == "normal" and not path.exists():  # earlier versions wrote it as a picture
        earlier = path.with_suffix(f".{PICTURE_EXTENSIONS[s.file_format]}")
        return earlier if earlier.exists() else path
    return path


def master_name(take: TakeRecord) -> str:
    """The name under which scene-linear pictures of a take are recorded."""
    return BEAUTY if take.project.shot.shoot.file_format == "exr" else MASTER


def master_path(take: TakeRecord, number: int) -> Path:
    """Where the scene-linear picture of a frame lies; that of a take of EXR frames is the frame."""
    if take.project.shot.shoot.file_format == "exr":
        return frame_path(take, number)
    return take.folder / MASTER / f"{Path(frame_name(take.project, number)).stem}.exr"


def file_path(take: TakeRecord, name: str, number: int) -> Path:
    """Where a file of a frame lies, by the name under which it is recorded."""
    if name == BEAUTY:
        return frame_path(take, number)
    if name == MASTER:
        return master_path(take, number)
    return thumb_path(take.folder, number) if name == THUMB else pass_path(take, cast(PassName, name), number)


def sum_of(data: bytes) -> FileSum:
    return FileSum(hashlib.sha256(data).hexdigest(), len(data))


def frames_to_shoot(take: TakeRecord) -> list[int]:
    """Numbers that are missing or to be shot again, or of which a file is not what was recorded."""
    return list(to_shoot(take))


def to_shoot(take: TakeRecord) -> dict[int, tuple[PassName, ...] | None]:
    """The same with what each of them lacks; every file is read for that."""
    lacks = {n: lacking(take, n) for n in take.numbers}
    return {n: names for n, names in lacks.items() if n in take.pending or names != ()}


def lacking(take: TakeRecord, number: int) -> tuple[PassName, ...] | None:
    """Passes that a frame lacks, none where it is whole; None where its picture is not what was recorded."""
    record = take.frames.get(number)
    if record is None or BEAUTY not in record.files:
        return None
    spoilt = {
        name for name, known in record.files.items() if read_if_whole(file_path(take, name, number), known) is None
    }
    wanted = take.project.shot.shoot.passes.wanted
    if not spoilt <= {*wanted}:
        return None
    return tuple(name for name in wanted if name in spoilt or name not in record.files)


def read_if_whole(path: Path, known: FileSum | None) -> bytes | None:
    """A file's bytes, None when they are gone or not what was recorded."""
    try:
        if known is not None and path.stat().st_size != known.size:
            return None
        data = path.read_bytes()
    except OSError:
        return None
    if known is None:  # shot by an earlier version, which kept no sums of passes: empty ones are all that can be told
        return data or None
    return data if sum_of(data) == known else None


def read_whole(take: TakeRecord, number: int, name: str = BEAUTY) -> bytes:
    """A finished frame's file, compared with what was recorded.

    Raises ShootError when it is missing or damaged.
    """
    record = take.frames.get(number)
    path = file_path(take, name, number)
    data = read_if_whole(path, record.files.get(name)) if record and name in record.files else None
    if data is None:
        state = "damaged" if path.exists() else "missing"
        what = f"Frame {number}" if name == BEAUTY else f"‘{name}’ of frame {number}"
        raise ShootError(f"{what} is {state}. Let ‘Check and mend’ in the shoot log shoot it again.")
    return data
