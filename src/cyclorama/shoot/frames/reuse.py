"""Reuse of frames: the files of a frame that a frame of another take with the same light can take over."""

from contextlib import suppress
from dataclasses import dataclass

from ...core.errors import CycloramaError
from ...core.render.passes.kinds import NUMBERS
from ...core.render.passes.outputs import pass_extension
from ...core.scene import Project
from ...core.scene.shoot import PassName
from ...core.scene.writing import derive
from ...store import FileSum, FrameRecord, Studio, TakeRecord
from ...store.takes import BEAUTY, MASTER, THUMB
from .cache import FrameKeys, finish_of_key, light_of, motion_of
from .files import file_path, read_if_whole

SHOWN = {BEAUTY, THUMB}
"""Files that show a frame: they can be made of its master."""


@dataclass(frozen=True, slots=True)
class Reuse:
    """Files of a frame that are taken over."""

    files: dict[str, FileSum | None]
    """by the name under which they are recorded"""
    is_shown: bool
    """true when those that show it are among them; they are made of the master else"""
    lacks: tuple[PassName, ...]
    """passes that are wanted and not there"""

    @property
    def rank(self) -> tuple[int, bool]:
        """The less, the less is left to be made."""
        return len(self.lacks), not self.is_shown


def reusable(source: TakeRecord, number: int, take: TakeRecord, key: str) -> Reuse | None:
    """Files that `take` can reuse from a frame of `source` with the same light, None where its picture is not whole.

    key: of the frame that is wanted (see `frame_cache`)
    """
    record = source.frames[number]
    whole = {
        name: known
        for name, known in record.files.items()
        if read_if_whole(file_path(source, name, number), known) is not None
    }
    theirs = record.key or ""
    is_shown = finish_of_key(theirs) == finish_of_key(key) and whole.keys() >= SHOWN
    if not is_shown and MASTER not in whole:
        return None
    wanted = take.project.shot.shoot.passes.wanted
    passes = set[str]()
    if motion_of(theirs) == motion_of(key):
        passes = {name for name in wanted if name in whole and _is_made_the_same(name, source, take)}
    names = passes | ({MASTER} & whole.keys()) | (SHOWN if is_shown else set())
    lacks = tuple(name for name in wanted if name not in passes)
    return Reuse({name: known for name, known in whole.items() if name in names}, is_shown, lacks)


def frames_taken_over(studio: Studio, project: Project) -> dict[int, TakeRecord]:
    """Takes from which frames of the open shot would be taken over, by their numbers, as far as records tell.

    Files are not read: a frame whose files turn out to be damaged is shot all the same.
    """
    numbers = project.shot.frame_numbers
    keys, takes = FrameKeys(project, numbers), dict[str, TakeRecord | None]()
    found = {}
    for number in numbers:
        key = keys.of(number)
        for take_id, there in studio.takes.frames_like(key, light_of(key), most=4):
            if take_id not in takes:
                with suppress(CycloramaError):
                    takes[take_id] = studio.takes.get(take_id)
            source = takes.setdefault(take_id, None)
            if source is not None and there in source.frames and _can_show(source.frames[there], key):
                found[number] = source
                break
    return found


def _can_show(record: FrameRecord, key: str) -> bool:
    """True when a frame with the same light has the wanted picture, or a master that gives it."""
    return finish_of_key(record.key or "") == finish_of_key(key) or MASTER in record.files


def _is_made_the_same(name: PassName, source: TakeRecord, take: TakeRecord) -> bool:
    """True when a pass of two takes is made in the same way, and written as the same kind of file."""
    one, two = (t.project.shot.shoot for t in (source, take))
    settings = [derive(s.passes, wanted=()) for s in (one, two)]
    written = [(pass_extension(s, name), None if name in NUMBERS else s.bits) for s in (one, two)]
    return settings[0] == settings[1] and written[0] == written[1]
