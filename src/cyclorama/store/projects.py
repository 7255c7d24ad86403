"""Projects: every saved state is kept, edits are checked against the version they were made on."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import delete, select
from sqlalchemy.orm import Session, sessionmaker

from ..core.errors import ChangeError, NotFoundError, StaleError
from ..core.scene import Project, load_project
from .database import HistoryRow, ProjectRow, now

KEPT_STATES = 1000
"""Older states than this many are dropped; far more than anyone undoes."""


@dataclass(frozen=True, slots=True)
class Saved:
    """A project as it stands, with what can be undone and redone."""

    project: Project
    version: int
    undo: str | None
    """label of the change that undo would take back"""
    redo: str | None
    updated: datetime


class ProjectStore:
    """Projects in the database. Each call is one unit of work."""

    def __init__(self, sessions: sessionmaker[Session]):
        self._sessions = sessions

    def create(self, project: Project, label: str = "New project") -> Saved:
        """Save a new project; raises ChangeError when its id is taken."""
        with self._sessions.begin() as session:
            if session.get(ProjectRow, project.id):
                raise ChangeError(f"There is already a project with the id ‘{project.id}’.")
            at = now()
            session.add(ProjectRow(id=project.id, name=project.name, version=1, cursor=1, created=at, updated=at))
            session.flush()
            session.add(_state(project, 1, label))
        return self.get(project.id)

    def ids(self) -> list[str]:
        """Project ids, the last edited first."""
        with self._sessions() as session:
            return list(session.scalars(select(ProjectRow.id).order_by(ProjectRow.updated.desc())))

    def get(self, project_id: str) -> Saved:
        """The project as it stands; raises NotFoundError."""
        with self._sessions() as session:
            row = _row(session, project_id)
            here, ahead = _at(session, row, row.cursor), _at(session, row, row.cursor + 1)
            before = _at(session, row, row.cursor - 1)
            assert here is not None
            return Saved(
                load_project(here.document), row.version, here.label if before else None,
                ahead.label if ahead else None, row.updated,
            )  # fmt: skip

    def edit(self, project_id: str, base_version: int, label: str, change: Callable[[Project], Project]) -> Saved:
        """Apply `change` to the version it was made on and save the result.

        Raises StaleError when the project has moved on; nothing is saved then, nor when `change` raises.
        """
        with self._sessions.begin() as session:
            row = self._current(session, project_id, base_version)
            here = _at(session, row, row.cursor)
            assert here is not None
            project = change(load_project(here.document))
            if project.id != project_id:
                raise ChangeError("A project's id cannot be edited.")
            session.execute(delete(HistoryRow).where(HistoryRow.project_id == project_id, HistoryRow.seq > row.cursor))
            session.execute(
                delete(HistoryRow).where(
                    HistoryRow.project_id == project_id, HistoryRow.seq <= row.cursor - KEPT_STATES
                )
            )
            row.cursor += 1
            row.version += 1
            row.name, row.updated = project.name, now()
            session.add(_state(project, row.cursor, label))
        return self.get(project_id)

    def step(self, project_id: str, base_version: int, by: int) -> Saved:
        """Undo (by −1) or redo (by +1). Raises ChangeError when there is nothing left."""
        with self._sessions.begin() as session:
            row = self._current(session, project_id, base_version)
            target = _at(session, row, row.cursor + by)
            if target is None:
                raise ChangeError("There is nothing to undo." if by < 0 else "There is nothing to redo.")
            row.cursor += by
            row.version += 1
            row.name, row.updated = load_project(target.document).name, now()
        return self.get(project_id)

    def remove(self, project_id: str) -> None:
        """Delete a project with its history and its takes' records."""
        with self._sessions.begin() as session:
            session.delete(_row(session, project_id))

    def _current(self, session: Session, project_id: str, base_version: int) -> ProjectRow:
        # Take the write lock before reading, so that two editors cannot both pass the check.
        session.execute(
            ProjectRow.__table__.update().where(ProjectRow.id == project_id).values(name=ProjectRow.name)  # type: ignore[attr-defined]
        )
        row = _row(session, project_id)
        if row.version != base_version:
            raise StaleError(
                "This project was changed in another window meanwhile. Your change was not saved yet.", row.version
            )
        return row


def _row(session: Session, project_id: str) -> ProjectRow:
    row = session.get(ProjectRow, project_id)
    if row is None:
        raise NotFoundError("There is no such project; it may have been removed.")
    return row


def _at(session: Session, row: ProjectRow, seq: int) -> HistoryRow | None:
    return session.get(HistoryRow, (row.id, seq))


def _state(project: Project, seq: int, label: str) -> HistoryRow:
    return HistoryRow(project_id=project.id, seq=seq, label=label, document=project.model_dump_json(), at=now())
