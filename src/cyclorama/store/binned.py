"""Projects, takes and deliveries in the bin: rows that no other query finds, until they come back or are deleted."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal

from sqlalchemy import func, select
from sqlalchemy.orm import Session, defer, sessionmaker

from ..core.errors import ChangeError, NotFoundError
from .database import BINNED, DeliveryRow, FrameRow, ProjectRow, TakeRow, now

RecordKind = Literal["project", "take", "delivery"]
Row = ProjectRow | TakeRow | DeliveryRow
_ROWS: dict[RecordKind, Any] = {"project": ProjectRow, "take": TakeRow, "delivery": DeliveryRow}


@dataclass(frozen=True, slots=True)
class BinnedRecord:
    """A record in the bin."""

    kind: RecordKind
    id: str
    name: str
    project: str
    """name of its project; its own of a project"""
    removed: datetime
    """UTC"""
    bytes: int
    """of its frames or files, of a project those of its takes and deliveries"""
    takes: int
    """number of takes that a project has"""


class BinnedRecords:
    """Puts records into the bin and brings them back. A project takes along its takes and deliveries."""

    def __init__(self, sessions: sessionmaker[Session]):
        self._sessions = sessions

    def put(self, kind: RecordKind, record_id: str) -> None:
        """Put a record into the bin; a take that waits for its turn is stopped. Raises NotFoundError."""
        at = now()
        with self._sessions.begin() as session:
            row: Row | None = session.get(_ROWS[kind], record_id)
            if row is None:
                raise NotFoundError("That is not there any more.")
            for one in (row, *_goes_along(session, row)):
                one.removed = at
                if isinstance(one, TakeRow) and one.state == "queued":
                    one.state = "stopped"

    def put_back(self, kind: RecordKind, record_id: str) -> None:
        """Bring a record back with what went along. Raises NotFoundError, and ChangeError where its project is in the
        bin itself."""
        with self._sessions.begin() as session:
            row = _binned(session, kind, record_id)
            if not isinstance(row, ProjectRow):
                project = session.get(ProjectRow, row.project_id, execution_options=BINNED)
                if project is not None and project.removed is not None:
                    raise ChangeError(f"Its project ‘{project.name}’ is in the bin too. Restore the project first.")
            for one in (row, *_goes_along(session, row, row.removed)):
                one.removed = None

    def delete(self, kind: RecordKind, record_id: str) -> None:
        """Delete a record in the bin with all that belongs to it; files are the caller's business. Raises
        NotFoundError."""
        with self._sessions.begin() as session:
            session.delete(_binned(session, kind, record_id))

    def frame_folders(self, kind: RecordKind, record_id: str) -> list[str]:
        """Names of the folders with frames of a take, or of all takes of a project."""
        own = TakeRow.id if kind == "take" else TakeRow.project_id
        with self._sessions() as session:
            return list(session.scalars(select(TakeRow.folder).where(own == record_id).execution_options(**BINNED)))

    def all(self) -> list[BinnedRecord]:
        """Records in the bin, the last removed first, without those that went along with their project."""
        frames = select(FrameRow.take_id, func.sum(FrameRow.bytes)).group_by(FrameRow.take_id)
        with self._sessions() as session:
            size = {take: int(total or 0) for take, total in session.execute(frames)}
            projects = {row.id: row for row in session.scalars(select(ProjectRow).execution_options(**BINNED))}
            takes = list(session.scalars(select(TakeRow).options(defer(TakeRow.document)).execution_options(**BINNED)))
            deliveries = list(session.scalars(select(DeliveryRow).execution_options(**BINNED)))
        found = []
        own = {key: [0, 0] for key in projects}
        """bytes and takes of each project"""
        rows: list[TakeRow | DeliveryRow] = [*takes, *deliveries]
        for row in rows:
            project, is_take = projects[row.project_id], isinstance(row, TakeRow)
            room = row.bytes if isinstance(row, DeliveryRow) else size.get(row.id, 0)
            own[project.id][0] += room
            own[project.id][1] += is_take
            if row.removed is not None and row.removed != project.removed:
                kind: RecordKind = "take" if is_take else "delivery"
                found.append(BinnedRecord(kind, row.id, row.name, project.name, row.removed, room, 0))
        for project in projects.values():
            if project.removed is not None:
                room, count = own[project.id]
                found.append(
                    BinnedRecord("project", project.id, project.name, project.name, project.removed, room, count)
                )
        return sorted(found, key=lambda record: record.removed, reverse=True)


def _goes_along(session: Session, row: Row, removed: datetime | None = None) -> list[TakeRow | DeliveryRow]:
    """Takes and deliveries of a project that are not in the bin, or went there with it at a time."""
    if not isinstance(row, ProjectRow):
        return []
    takes = select(TakeRow).where(TakeRow.project_id == row.id, TakeRow.removed.is_not_distinct_from(removed))
    deliveries = select(DeliveryRow).where(
        DeliveryRow.project_id == row.id, DeliveryRow.removed.is_not_distinct_from(removed)
    )
    return [
        *session.scalars(takes.execution_options(**BINNED)),
        *session.scalars(deliveries.execution_options(**BINNED)),
    ]


def _binned(session: Session, kind: RecordKind, record_id: str) -> Row:
    row: Row | None = session.get(_ROWS[kind], record_id, execution_options=BINNED)
    if row is None or row.removed is None:
        raise NotFoundError("That is not in the bin any more.")
    return row
