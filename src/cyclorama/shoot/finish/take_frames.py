"""Frames of takes for a cut: as they are finished at the moment, at the size at which they are wanted."""

import hashlib
from collections.abc import Iterable, Iterator, Mapping
from contextlib import suppress

import numpy as np
from numpy.typing import NDArray

from ...core.cut.document import Clip, Cut
from ...core.cut.timeline import Footage, lay_out_cut, number_at
from ...core.errors import NotFoundError, ShootError
from ...core.framing.formats import places_in
from ...core.motion import FrameRate
from ...core.motion.loop import loops, moves_nothing
from ...core.picture.finishing import Finishing
from ...core.scene.writing import derive
from ...store import Studio, TakeRecord
from ...store.takes import BEAUTY
from .masters import Masters, finish_frame, state_of, why_not_gradable

F32 = NDArray[np.float32]


class TakeReel:
    """Gives the frames that a cut shows. May be asked by several threads.

    While a take is still being shot, what is not there yet is shown as the nearest frame before it that is, unless all
    must be there.
    """

    def __init__(self, studio: Studio, cut: Cut, masters: Masters, complete: bool):
        self._studio, self._cut, self._masters, self._complete = studio, cut, masters, complete
        self.takes = takes_of(studio, cut.take_ids)
        self._finishes = {take_id: studio.screening.finish(take) for take_id, take in self.takes.items()}
        self.films = {take_id: film_of(take) for take_id, take in self.takes.items()}
        self._there = {take_id: sorted(n for n in t.numbers if n in t.frames) for take_id, t in self.takes.items()}

    @property
    def stamp(self) -> str:
        """Names the state of all pictures: what is shown of the same cut is the same while it is."""
        told = [
            (
                take_id,
                self._finishes[take_id].number,
                state_of(self._finishes[take_id].finishing, self._studio),
                [s.sha256[:12] if (s := self.takes[take_id].frames[n].files[BEAUTY]) else "" for n in there],
            )
            for take_id, there in self._there.items()
        ]
        return hashlib.sha256(repr((self._cut, told)).encode()).hexdigest()[:16]

    @property
    def transparent(self) -> bool:
        """True when anything in the cut can be seen through: a take shot so, with nothing laid behind it."""
        return any(
            clip.take_id in self.takes and self.clear(clip.take_id) and self._finishing(clip).behind is None
            for clip in self._cut.clips
        )

    def clear(self, take_id: str) -> bool:
        """True when a take was shot transparent."""
        return self.takes[take_id].project.shot.shoot.transparent

    def picture(self, clip: Clip, number: int, width: int | None) -> F32:
        """See `core.clip.compose.Reel`."""
        take = self.takes[clip.take_id]
        frame = take.at(number)
        if frame not in take.frames:
            frame = self._nearest(take, frame)
        return finish_frame(take, frame, self._finishing(clip), self._masters, self._studio.assets.get, width)

    def _nearest(self, take: TakeRecord, frame: int) -> int:
        there = self._there[take.id]
        if self._complete or not there:
            raise ShootError(f"Frame {frame} of ‘{take.name}’ is not shot yet.")
        return max((n for n in there if n < frame), default=there[0])

    def _finishing(self, clip: Clip) -> Finishing:
        own = self._finishes[clip.take_id].finishing
        instead = {"grade": clip.grade, "behind": clip.behind}
        return derive(own, **({name: value for name, value in instead.items() if value is not None}))

    def size(self, clip: Clip) -> tuple[int, int]:
        """See `core.clip.compose.Reel`."""
        s = self.takes[clip.take_id].project.shot.shoot
        return s.width, s.height

    def framing(self, clip: Clip, number: int, shape: str) -> tuple[float, float]:
        """See `core.clip.compose.Reel`."""
        project = self.takes[clip.take_id].project
        kind = next((f for f in project.shot.formats if f.name == shape), None)
        if kind is None:
            return 0.0, 0.0
        across, up = places_in(project, kind, np.array([float(number)]))[0]
        return float(across), float(up)

    def faults(self) -> Iterator[str]:
        """Faults that prevent a delivery, in sentences."""
        places = lay_out_cut(self._cut)
        for take_id in self._cut.take_ids:
            clips = [x.clip for x in places if x.clip.take_id == take_id]
            if take_id not in self.takes:
                yield f"‘{clips[0].name}’ shows a take that was removed. Take it out, or put another in its place."
                continue
            take = self.takes[take_id]
            wanted = {take.at(n) for clip in clips for n in self.numbers(clip)}
            if lacking := len(wanted - set(take.frames)):
                yield f"{lacking} of the frames it shows of ‘{take.name}’ are not shot yet."
            elif (why := why_not_gradable(take)) and any(clip.grade or clip.behind for clip in clips):
                yield f"‘{take.name}’: {why}"

    def numbers(self, clip: Clip) -> set[int]:
        """All frames that a clip shows of its take, 0 the first."""
        film, rate = self.films[clip.take_id], self._cut.rate.fraction
        steps = min(clip.length, 4 * film.lasts(rate, clip.speed))  # all that it can show is shown by then
        return {number_at(clip, film, rate, clip.begin + k) for k in range(steps)}


def takes_of(studio: Studio, ids: Iterable[str]) -> dict[str, TakeRecord]:
    """Those of some takes that are there."""
    found = {}
    for take_id in ids:
        with suppress(NotFoundError):
            found[take_id] = studio.takes.get(take_id)
    return found


def sizes_of(takes: Mapping[str, TakeRecord]) -> dict[str, tuple[int, int]]:
    """Width and height of takes, px."""
    return {key: (take.project.shot.shoot.width, take.project.shot.shoot.height) for key, take in takes.items()}


def film_of(take: TakeRecord) -> Footage:
    """Facts about a take for a timeline."""
    shot, project = take.project.shot, take.project
    closes = not moves_nothing(shot) and loops(project, shot) and take.moments == shot.frames
    return Footage(take.moments, FrameRate.of(project).fraction, closes)
