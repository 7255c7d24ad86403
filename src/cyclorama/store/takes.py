"""Takes and their frames."""

from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter
from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from ..core.errors import NotFoundError
from ..core.picture.mix import LightChange
from ..core.scene import Project, load_project
from .database import FrameRow, TakeRow, now

_BALANCE = TypeAdapter(dict[str, LightChange])
UNFINISHED = ("queued", "running", "paused", "stopped", "interrupted", "failed")


@dataclass(frozen=True, slots=True)
class FrameRecord:
    """A finished frame."""

    number: int
    file: str
    """name inside the take's folder"""
    sha256: str
    size: int
    seconds: float
    clamped: float | None = None
    """share of the light that clamping took away, None where nothing is clamped"""


@dataclass(frozen=True, slots=True)
class TakeRecord:
    """A take as it stands."""

    id: str
    project_id: str
    name: str
    project: Project
    """as it was when the take was called"""
    folder: Path
    first: int
    last: int
    state: str
    wish: str
    message: str
    worker_pid: int | None
    beat: datetime | None
    forecast_s: float | None
    created: datetime
    started: datetime | None
    finished: datetime | None
    frames: dict[int, FrameRecord]
    source_id: str | None = None
    """the take whose lights this one mixes"""
    balance: dict[str, LightChange] = field(default_factory=dict)

    @property
    def numbers(self) -> range:
        return range(self.first, self.last + 1)


class TakeStore:
    """Takes in the database; frames are files in the take's folder."""

    def __init__(self, sessions: sessionmaker[Session], folder: Path):
        self._sessions = sessions
        self._folder = folder

    def call(
        self, take_id: str, name: str, project: Project, version: int, forecast_s: float | None,
        source_id: str | None = None, balance: dict[str, LightChange] | None = None,
    ) -> TakeRecord:  # fmt: skip
        """Queue a new take of the project as it stands, or of another take's lights."""
        numbers = project.frame_numbers
        with self._sessions.begin() as session:
            session.add(
                TakeRow(
                    id=take_id, project_id=project.id, name=name, document=project.model_dump_json(),
                    project_version=version, folder=take_id, first=numbers[0], last=numbers[-1], state="queued",
                    wish="run", message="", forecast_s=forecast_s, created=now(),
                    source_id=source_id, balance=_BALANCE.dump_json(balance or {}).decode(),
                )
            )  # fmt: skip
        (self._folder / take_id).mkdir(parents=True, exist_ok=True)
        return self.get(take_id)

    def get(self, take_id: str) -> TakeRecord:
        """One take; raises NotFoundError."""
        with self._sessions() as session:
            row = session.get(TakeRow, take_id)
            if row is None:
                raise NotFoundError("There is no such take; it may have been removed.")
            return self._record(session, row)

    def all(self, project_id: str | None = None) -> list[TakeRecord]:
        """Takes, newest first."""
        query = select(TakeRow).order_by(TakeRow.created.desc())
        if project_id:
            query = query.where(TakeRow.project_id == project_id)
        with self._sessions() as session:
            return [self._record(session, row) for row in session.scalars(query)]

    def next_queued(self) -> TakeRecord | None:
        """The take that waits longest."""
        query = select(TakeRow).where(TakeRow.state == "queued").order_by(TakeRow.created).limit(1)
        with self._sessions() as session:
            row = session.scalars(query).first()
            return self._record(session, row) if row else None

    def update(self, take_id: str, **values: Any) -> None:
        """Set columns of a take."""
        with self._sessions.begin() as session:
            row = session.get(TakeRow, take_id)
            if row is None:
                raise NotFoundError("There is no such take; it may have been removed.")
            for name, value in values.items():
                setattr(row, name, value)

    def wish(self, take_id: str) -> str:
        """What the artist last asked for; ‘stop’ when the take is gone."""
        with self._sessions() as session:
            row = session.get(TakeRow, take_id)
            return row.wish if row else "stop"

    def add_frame(self, take_id: str, frame: FrameRecord) -> None:
        """Record a finished frame, replacing an earlier record of the same number."""
        with self._sessions.begin() as session:
            session.merge(
                FrameRow(take_id=take_id, number=frame.number, file=frame.file, sha256=frame.sha256,
                         size=frame.size, seconds=frame.seconds, clamped=frame.clamped, at=now())
            )  # fmt: skip

    def drop_frame(self, take_id: str, number: int) -> None:
        with self._sessions.begin() as session:
            row = session.get(FrameRow, (take_id, number))
            if row:
                session.delete(row)

    def remove(self, take_id: str) -> None:
        """Forget a take; its files are the caller's business."""
        with self._sessions.begin() as session:
            row = session.get(TakeRow, take_id)
            if row:
                session.delete(row)

    def _record(self, session: Session, row: TakeRow) -> TakeRecord:
        frames = session.scalars(select(FrameRow).where(FrameRow.take_id == row.id).order_by(FrameRow.number))
        return TakeRecord(
            row.id, row.project_id, row.name, load_project(row.document), self._folder / row.folder, row.first,
            row.last, row.state, row.wish, row.message, row.worker_pid, row.beat, row.forecast_s, row.created,
            row.started, row.finished,
            {f.number: FrameRecord(f.number, f.file, f.sha256, f.size, f.seconds, f.clamped) for f in frames},
            row.source_id, _BALANCE.validate_json(row.balance or "{}"),
        )  # fmt: skip
