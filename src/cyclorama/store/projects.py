"""Projects: every saved state is kept, edits are checked against the version they were made on.

Most states are kept as what changed since the one before; now and then, and where much has changed, one is kept whole.
"""

import json
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from pydantic_core import from_json
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session, sessionmaker

from ..core.commands.names import next_name
from ..core.errors import ChangeError, DamagedError, NotFoundError
from ..core.memo import Memo
from ..core.patches import apply_patch, difference
from ..core.scene import Project, load_project
from ..core.scene.base import new_id
from ..core.scene.writing import revise
from .change_log import ChangeLog, Document
from .database import BINNED, HistoryRow, ProjectRow, now

STATES_IN_MEMORY = 8
KEPT_STATES = 1000
"""Older states than about this many are dropped; far more than anyone undoes."""
WHOLE_EVERY = 32
"""After so many changes a state is kept whole."""
LARGEST_PATCH = 0.25
"""A change that takes more than this share of the document is not worth being kept as one."""


@dataclass(frozen=True, slots=True)
class Saved:
    """A project as it stands, with what can be undone and redone."""

    project: Project
    version: int
    undo: str | None
    """label of the change that undo would take back"""
    redo: str | None
    updated: datetime


@dataclass(frozen=True, slots=True)
class Listed:
    """A project in the list of all, also of one that cannot be read."""

    id: str
    name: str
    version: int
    updated: datetime


class ProjectStore:
    """Projects in the database. Each call is one unit of work; the states that were read last are kept as read."""

    def __init__(self, sessions: sessionmaker[Session], log: ChangeLog):
        self._sessions, self._log = sessions, log
        self._states: Memo[tuple[str, int, datetime], tuple[Saved, str]] = Memo(STATES_IN_MEMORY)

    def create(self, project: Project, label: str = "New project") -> Saved:
        """Save a new project; raises ChangeError when its id is taken or it is not a valid document."""
        _, document = _written(project)
        with self._sessions.begin() as session:
            if session.get(ProjectRow, project.id, execution_options=BINNED):
                raise ChangeError(f"There is already a project with the id ‘{project.id}’.")
            at = now()
            session.add(ProjectRow(id=project.id, name=project.name, version=1, cursor=1, created=at, updated=at))
            session.flush()
            session.add(_state(project.id, document, 1, label))
        return self.get(project.id)

    def duplicate(self, project_id: str) -> Saved:
        """A new project as this one stands, under a name of its own. Raises NotFoundError."""
        project = self.get(project_id).project
        name = next_name((listed.name for listed in self.listed()), project.name)
        return self.create(revise(project, id=new_id("project"), name=name), f"Duplicate of ‘{project.name}’"[:80])

    def ids(self, binned: bool = False) -> list[str]:
        """Project ids, the last edited first; with those in the bin, or without."""
        query = select(ProjectRow.id).order_by(ProjectRow.updated.desc()).execution_options(binned=binned)
        with self._sessions() as session:
            return list(session.scalars(query))

    def listed(self) -> list[Listed]:
        """All projects, the last edited first, without reading them."""
        with self._sessions() as session:
            rows = session.scalars(select(ProjectRow).order_by(ProjectRow.updated.desc()))
            return [Listed(r.id, r.name, r.version, r.updated) for r in rows]

    def get(self, project_id: str) -> Saved:
        """The project as it stands; raises NotFoundError, and DamagedError when it cannot be read any more."""
        return self._read_state(project_id)[0]

    def _read_state(self, project_id: str) -> tuple[Saved, str]:
        """The project as it stands, and its document as it was saved."""
        with self._sessions() as session:
            row = project_row(session, project_id)
            return self._states.get((project_id, row.version, row.updated), lambda: _saved(session, row))

    def version(self, project_id: str) -> int:
        """The number of the state that a project is in; raises NotFoundError."""
        with self._sessions() as session:
            return project_row(session, project_id).version

    def edit(
        self,
        project_id: str,
        base_version: int | None,
        label: str | Callable[[], str],
        change: Callable[[Project], Project],
    ) -> Saved:
        """Apply `change` to the project and save the result.

        base_version: version on which the change was made; None: on whatever counts
        label: of the step for undo; one that is called is known once `change` has returned
        change: called outside the database's lock, again when the project was changed meanwhile

        Raises StaleError when somebody else has changed the project since the version, and ChangeError when the result
        is not a valid document; nothing is saved then, nor when `change` raises.
        """
        while True:
            before, document = self._read_state(project_id)
            if base_version is not None:
                self._require(before.version, project_id, base_version, before.undo or "")
            after = change(before.project)
            saved = self._save(before, document, label if isinstance(label, str) else label(), after)
            if saved is not None:
                self._log.tell(document_of(project_id), saved.version)
                return saved

    def _save(self, before: Saved, old: str, label: str, after: Project) -> Saved | None:
        """Save a project as the step after a state with its old document; None when that does not count any more."""
        project, document = _written(after)
        project_id = before.project.id
        if project.id != project_id:
            raise ChangeError("A project's id cannot be edited.")
        with self._sessions.begin() as session:
            row = lock_row(session, project_id)
            if row.version != before.version:
                return None
            session.execute(delete(HistoryRow).where(HistoryRow.project_id == project_id, HistoryRow.seq > row.cursor))
            _forget_oldest(session, row)
            patch = _patch(session, row, old, document)
            row.cursor += 1
            row.version += 1
            row.name, row.updated = project.name, now()
            session.add(_state(project_id, patch or document, row.cursor, label, patch is not None))
            self._log.claim(document_of(project_id), row.version)
            saved = Saved(project, row.version, label, None, row.updated)
            self._states.put((project_id, row.version, row.updated), (saved, document))
            return saved

    def step(self, project_id: str, base_version: int, by: int) -> Saved:
        """Undo (by −1) or redo (by +1). Raises ChangeError when there is nothing left."""
        with self._sessions.begin() as session:
            row = self._current(session, project_id, base_version)
            if _at(session, row, row.cursor + by) is None:
                raise ChangeError("There is nothing to undo." if by < 0 else "There is nothing to redo.")
            row.cursor += by
            row.version += 1
            row.updated = now()
            saved, _ = _saved(session, row)
            row.name = saved.project.name
            self._log.claim(document_of(project_id), row.version)
        self._log.tell(document_of(project_id), saved.version)
        return saved

    def recover(self, project_id: str) -> Saved:
        """Go back to the last state of a damaged project that can be read.

        Raises DamagedError when none can.
        """
        with self._sessions.begin() as session:
            row = project_row(session, project_id)
            earlier = (
                select(HistoryRow)
                .where(HistoryRow.project_id == project_id, HistoryRow.seq <= row.cursor)
                .order_by(HistoryRow.seq.desc())
            )
            for state in session.scalars(earlier):
                with suppress(DamagedError):
                    row.name, row.cursor = _read(session, state, row).name, state.seq
                    row.version += 1
                    break
            else:
                raise DamagedError(f"No state of ‘{row.name}’ can be read any more. Export it, then remove it.")
            version = row.version
            self._log.claim(document_of(project_id), version)
        self._log.tell(document_of(project_id), version)
        return self.get(project_id)

    def document(self, project_id: str) -> str:
        """The document as it was saved, whether or not it can be read; raises NotFoundError."""
        with self._sessions() as session:
            row = project_row(session, project_id)
            here = _here(session, row)
            try:
                return _whole(session, here, row)
            except DamagedError:
                return here.document

    def _current(self, session: Session, project_id: str, base_version: int) -> ProjectRow:
        row = lock_row(session, project_id)
        self._require(row.version, project_id, base_version, _here(session, row).label)
        return row

    def _require(self, current: int, project_id: str, base_version: int, label: str) -> None:
        self._log.require_version(document_of(project_id), "This project", current, base_version, label)


def document_of(project_id: str) -> Document:
    """Name of a project in the log of changes."""
    return "project", project_id


def lock_row(session: Session, project_id: str) -> ProjectRow:
    """A project's row, to be written: the write lock is taken before it is read, so that two editors cannot both pass a
    check against its version. Raises NotFoundError."""
    session.execute(
        ProjectRow.__table__.update().where(ProjectRow.id == project_id).values(name=ProjectRow.name)  # type: ignore[attr-defined]
    )
    return project_row(session, project_id)


def project_row(session: Session, project_id: str) -> ProjectRow:
    """Raises NotFoundError."""
    row = session.get(ProjectRow, project_id)
    if row is None:
        raise NotFoundError("There is no such project; it may have been removed.")
    return row


def _at(session: Session, row: ProjectRow, seq: int) -> HistoryRow | None:
    return session.get(HistoryRow, (row.id, seq))


def _here(session: Session, row: ProjectRow) -> HistoryRow:
    here = _at(session, row, row.cursor)
    if here is None:
        raise DamagedError(f"The project ‘{row.name}’ has lost its present state.")
    return here


def _whole(session: Session, state: HistoryRow, row: ProjectRow) -> str:
    """The document of a state. Raises DamagedError when what it is made of is gone or damaged."""
    if not state.patch:
        return state.document
    steps = session.scalars(
        select(HistoryRow)
        .where(
            HistoryRow.project_id == row.id,
            HistoryRow.seq > _last_whole(session, row, state.seq) - 1,
            HistoryRow.seq <= state.seq,
        )
        .order_by(HistoryRow.seq)
    )
    try:
        document: Any = None
        for step in steps:
            change = from_json(step.document)
            document = apply_patch(document, change) if step.patch else change
    except (ValueError, KeyError, TypeError, IndexError, AttributeError) as error:
        raise DamagedError(f"The project ‘{row.name}’ cannot be read: what led to this state is damaged.") from error
    return json.dumps(document, ensure_ascii=False, separators=(",", ":"))


def _last_whole(session: Session, row: ProjectRow, seq: int) -> int:
    """Number of the last state, up to one, that is kept whole; 0 where there is none."""
    query = select(func.max(HistoryRow.seq)).where(
        HistoryRow.project_id == row.id, HistoryRow.seq <= seq, HistoryRow.patch.is_(False)
    )
    return session.scalar(query) or 0


def _patch(session: Session, row: ProjectRow, before: str, after: str) -> str | None:
    """Patch to keep in place of the document; None where the document is better kept whole."""
    if row.cursor - _last_whole(session, row, row.cursor) >= WHOLE_EVERY - 1:
        return None
    change = json.dumps(difference(from_json(before), from_json(after)), ensure_ascii=False, separators=(",", ":"))
    return change if len(change) <= LARGEST_PATCH * len(after) else None


def _forget_oldest(session: Session, row: ProjectRow) -> None:
    """Drop states that are too old, but for those that later ones are made of."""
    needed = _last_whole(session, row, max(row.cursor - KEPT_STATES + 1, 1))
    session.execute(delete(HistoryRow).where(HistoryRow.project_id == row.id, HistoryRow.seq < needed))


def _saved(session: Session, row: ProjectRow) -> tuple[Saved, str]:
    """A project as it stands, and its document as it was saved."""
    here, ahead = _here(session, row), _at(session, row, row.cursor + 1)
    before, document = _at(session, row, row.cursor - 1), _whole(session, here, row)
    undo, redo = here.label if before else None, ahead.label if ahead else None
    return Saved(_parsed(document, row), row.version, undo, redo, row.updated), document


def _read(session: Session, state: HistoryRow, row: ProjectRow) -> Project:
    return _parsed(_whole(session, state, row), row)


def _parsed(document: str, row: ProjectRow) -> Project:
    try:
        return load_project(document)
    except ChangeError as error:
        raise DamagedError(f"The project ‘{row.name}’ cannot be read: {error.sentence}") from error


def _written(project: Project) -> tuple[Project, str]:
    """The project as it will be read again, and what is saved. Raises ChangeError when it could not be read: nothing is
    saved then."""
    document = project.model_dump_json()
    return load_project(document), document


def _state(project_id: str, document: str, seq: int, label: str, patch: bool = False) -> HistoryRow:
    return HistoryRow(project_id=project_id, seq=seq, label=label, document=document, patch=patch, at=now())
