"""Cuts: read, edited, and looked at."""

import threading
from collections import OrderedDict

from ..core.cut.compose import Compositor
from ..core.cut.document import Cut
from ..core.cut.edits import AddClip, Edit, apply_edit, edit_label
from ..core.errors import NotFoundError
from ..core.motion import FrameRate
from ..core.scene import Project
from ..shoot.finish.masters import Masters
from ..shoot.finish.take_frames import TakeReel, film_of, takes_of
from ..store import Studio, TakeRecord
from ..store.cuts import CutState

MOST_OPEN = 8
LONGEST = 8
"""How many times as long as wide a picture may be that is asked for in another shape than the cut's own."""


def cut_for(project: Project) -> Cut:
    """An empty cut at the rate and size of a project."""
    s, rate = project.shot.shoot, FrameRate.of(project)
    return Cut(rate_num=rate.num, rate_den=rate.den, width=max(16, s.width // 2 * 2), height=max(16, s.height // 2 * 2))


def cut_of_take(take: TakeRecord) -> Cut:
    """A cut of a take and nothing else, at its rate and size."""
    return apply_edit(cut_for(take.project), AddClip(take_id=take.id, name=take.name), {take.id: film_of(take)})


def empty_cut(studio: Studio, project_id: str) -> Cut:
    """The cut of a project that nobody has edited. Raises NotFoundError."""
    return cut_for(studio.projects.get(project_id).project)


def cut_of(studio: Studio, project_id: str) -> CutState:
    """The cut of a project; an empty one before its first edit. Raises NotFoundError."""
    return studio.cuts.get(project_id, empty_cut(studio, project_id))


def edit_cut(studio: Studio, project_id: str, version: int, edit: Edit) -> CutState:
    """The cut after an edit. Raises ConflictError for an older version, ChangeError for an edit that cannot be made."""

    def change(cut: Cut) -> tuple[Cut, str]:
        takes = takes_of(studio, {*cut.take_ids, getattr(edit, "take_id", "")} - {""})
        films = {take_id: film_of(take) for take_id, take in takes.items()}
        return apply_edit(cut, edit, films), edit_label(cut, edit)

    return studio.cuts.edit(project_id, version, change, empty_cut(studio, project_id))


class OpenCuts:
    """Cuts that are being looked at: what their frames are made of, and titles drawn, are kept while they are."""

    def __init__(self, studio: Studio, masters: Masters) -> None:
        self._studio, self._masters = studio, masters
        self._kept: OrderedDict[tuple[str, str, str, int, bool], Compositor] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, project_id: str, stamp: str, shape: str, width: int, clear: bool = False) -> Compositor:
        """Source of a project's cut, no wider than `width`: in the state of that stamp where it is known, else as it is
        now. `clear`: with alpha, where takes have any. Raises NotFoundError."""
        key = (project_id, stamp, shape, width, clear)
        with self._lock:
            if (found := self._kept.get(key)) is not None:
                self._kept.move_to_end(key)
                return found
        cut = cut_of(self._studio, project_id).cut
        reel = TakeReel(self._studio, cut, self._masters, complete=False)
        wide, high = (cut.width, cut.height) if not shape else (int(x) for x in shape.split(":"))
        if not wide or not high:
            raise NotFoundError("A picture is wider and higher than nothing.")
        if shape and max(wide, high) > LONGEST * min(wide, high):
            raise NotFoundError(f"No picture of the cut is more than {LONGEST} times as long as it is wide.")
        wanted = width if shape else min(width, cut.width)
        height = max(2, round(wanted * high / wide))
        alpha = clear and reel.transparent
        made = Compositor(cut, reel.films, reel, self._studio.assets.get, wanted, height, alpha)
        with self._lock:
            self._kept[project_id, reel.stamp, shape, width, clear] = made
            while len(self._kept) > MOST_OPEN:
                self._kept.popitem(last=False)
        return made
