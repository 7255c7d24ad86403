"""Lists of takes: drawn from their slates and from what the database counts, however long their documents and however
many their frames.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from pydantic import BaseModel, ValidationError
from sqlalchemy import func, select, tuple_
from sqlalchemy.orm import Session, defer, sessionmaker

from ..core.errors import ChangeError
from ..core.scene import Project, load_project
from .database import FrameRow, Process, TakeRow, TakeState
from .pending_reshoots import again_of

AT_ONCE = 8000
"""So many frames are asked after in one statement; SQLite takes no more than 32 766 values."""


class Slate(BaseModel):
    """Slate in lists: written when a take is called, and never changed."""

    project_name: str
    shot: str
    width: int
    height: int
    samples: int
    finely: str = ""
    """its quality, in few words; empty of takes of earlier versions"""
    format: str
    every: int = 1

    @classmethod
    def of(cls, project: Project) -> "Slate":
        shot = project.shot
        s = shot.shoot
        return cls(
            project_name=project.name,
            shot=shot.name,
            width=s.width,
            height=s.height,
            samples=s.samples,
            finely=s.samples_in_words,
            format=s.file_format,
            every=s.every,
        )


@dataclass(frozen=True, slots=True)
class ListedTake:
    """A take in a list."""

    id: str
    project_id: str
    name: str
    slate: Slate | None
    """None: what was written about the take cannot be read any more; its frames may be whole"""
    state: TakeState
    message: str
    numbers: range
    """of its frames"""
    forecast_s: float | None
    created: datetime
    source_id: str | None
    process: Process
    """the way it is made of its source"""
    turn: int
    """those that wait are shot in the order of this"""
    not_before: datetime | None
    """it is not begun sooner, UTC"""
    folder: str
    """name of the folder of its files"""
    finished: int
    """number of its frames that are there"""
    waiting: int
    """number of these that are to be shot again or to get more passes"""
    lacks: bool
    """true when it is passes that are shot"""
    bytes: int
    """room that they take"""
    seconds: float
    """that they took"""
    mean_s: float | None
    """seconds that one took which was shot, not taken from another take"""
    pace_s: float | None
    """seconds from frame to frame since it was taken up; None of a take that is not being shot, and before the first"""
    clamped: float | None
    """share of the light that clamping took away, of those where something is clamped"""
    starred: bool
    ends_after: int | None
    """number of the frame after which it pauses or stops, while it is being shot"""


class TakeList:
    """Takes as lists show them; nothing but slates and counts is read."""

    def __init__(self, sessions: sessionmaker[Session]):
        self._sessions = sessions

    def all(self, project_id: str | None = None) -> list[ListedTake]:
        """All takes, newest first."""
        counted = (
            select(
                FrameRow.take_id,
                func.count(),
                func.sum(FrameRow.bytes),
                func.sum(FrameRow.seconds),
                func.avg(func.nullif(FrameRow.seconds, 0.0)),
                func.avg(FrameRow.clamped),
            )
            .join(TakeRow, TakeRow.id == FrameRow.take_id)
            .where(FrameRow.number.between(TakeRow.first, TakeRow.last))
            .group_by(FrameRow.take_id)
        )
        query = select(TakeRow).options(defer(TakeRow.document), defer(TakeRow.balance))
        if project_id is not None:
            counted, query = (q.where(TakeRow.project_id == project_id) for q in (counted, query))
        with self._sessions() as session:
            counts = {take: tuple(rest) for take, *rest in session.execute(counted)}
            rows = list(session.scalars(query.order_by(TakeRow.created.desc())))
            pace = _pace(session)
            lack: dict[str, set[int]] = {}
            for take, number in session.execute(select(FrameRow.take_id, FrameRow.number).where(FrameRow.lacks)):
                lack.setdefault(take, set()).add(number)
            if any(row.slate is None for row in rows):
                _write_slates(session, rows)
                session.commit()
            nothing = 0, 0, 0.0, None, None
            return [_listed(r, counts.get(r.id, nothing), lack.get(r.id, set()), pace.get(r.id)) for r in rows]

    def finished_numbers(self, take_id: str) -> list[int]:
        """Numbers of a take's finished frames."""
        query = select(FrameRow.number).where(FrameRow.take_id == take_id).order_by(FrameRow.number)
        with self._sessions() as session:
            return list(session.scalars(query))

    def finished_among(self, frames: Iterable[tuple[str, int]]) -> set[tuple[str, int]]:
        """Those of some frames, by take and number, that are finished."""
        asked, found = list(frames), set()
        key = tuple_(FrameRow.take_id, FrameRow.number)
        with self._sessions() as session:
            for i in range(0, len(asked), AT_ONCE):
                query = select(FrameRow.take_id, FrameRow.number).where(key.in_(asked[i : i + AT_ONCE]))
                found |= {(take, number) for take, number in session.execute(query)}
        return found


def _write_slates(session: Session, rows: list[TakeRow]) -> None:
    """Write the slates of takes of earlier versions; what cannot be read gets one that says nothing."""
    for row in rows:
        if row.slate is not None:
            continue
        try:
            row.slate = Slate.of(load_project(row.document)).model_dump_json()
        except ChangeError:
            row.slate = "{}"


def _pace(session: Session) -> dict[str, float]:
    """Seconds from frame to frame of takes that are being shot."""
    query = (
        select(TakeRow.id, TakeRow.started, func.count(), func.max(FrameRow.at))
        .join(FrameRow, FrameRow.take_id == TakeRow.id)
        .where(TakeRow.state == "running", FrameRow.at >= TakeRow.started, ~FrameRow.lacks)
        .group_by(TakeRow.id)
    )
    return {
        take: (last - started).total_seconds() / count
        for take, started, count, last in session.execute(query)
        if started is not None
    }


def _listed(row: TakeRow, counts: tuple[Any, ...], lack: set[int], pace_s: float | None) -> ListedTake:
    try:
        slate = Slate.model_validate_json(row.slate or "{}")
    except ValidationError:
        slate = None
    try:
        waiting = lack | {*again_of(row)[1]}
    except ValidationError:
        waiting = lack
    finished, size, seconds, mean_s, clamped = counts
    return ListedTake(
        row.id, row.project_id, row.name, slate, row.state, row.message,
        range(row.first, row.last + 1, slate.every if slate else 1), row.forecast_s,
        row.created, row.source_id, row.process, row.turn, row.not_before, row.folder, finished,
        len(waiting), bool(lack), int(size or 0), seconds or 0.0, mean_s, pace_s, clamped, row.starred,
        row.frame_now if row.state == "running" and row.wish != "run" else None,
    )  # fmt: skip
