"""Screening of takes: finishing with undo, notes, and findings."""

import secrets
from dataclasses import dataclass
from datetime import datetime
from typing import Annotated

from pydantic import BaseModel, Field, TypeAdapter
from sqlalchemy import select, update
from sqlalchemy.orm import Session, sessionmaker

from ..core.errors import NotFoundError, StaleError
from ..core.picture.finishing import Finishing
from .change_log import ChangeLog, Document
from .database import CheckedRow, FinishRow, NoteRow, TakeRow, now
from .history import Steps
from .takes import TakeRecord, take_row

Share = Annotated[float, Field(ge=0, le=1)]
Line = Annotated[tuple[tuple[Share, Share], ...], Field(max_length=400)]
Mark = Annotated[tuple[Line, ...], Field(max_length=40)]
_MARK: TypeAdapter[tuple[tuple[tuple[float, float], ...], ...]] = TypeAdapter(Mark)


class Note(BaseModel):
    """Something that was said of a frame."""

    id: str
    frame: int
    text: str
    mark: Mark
    """lines of points, in shares of the picture from its top left"""
    done: bool
    at: datetime
    revision: int
    """counts its changes"""


@dataclass(frozen=True, slots=True)
class Finished:
    """Finishing of a take, and its place among the states."""

    finishing: Finishing
    number: int
    """0: as it was shot"""
    revision: int
    """counts every change, undo and redo; what changes are checked against"""
    label: str
    undo: bool
    redo: bool


_FINISHES = Steps(FinishRow, "take_id", Finishing)


def document_of(take_id: str) -> Document:
    """Name of a take's grade in the log of changes."""
    return "grade", take_id


class Screening:
    """Grades, notes and findings in the database."""

    def __init__(self, sessions: sessionmaker[Session], log: ChangeLog):
        self._sessions, self._log = sessions, log

    def finish(self, take: TakeRecord) -> Finished:
        """Finishing of a take. A state that cannot be read counts as not there."""
        with self._sessions() as session:
            return self._finish(session, take)

    def _finish(self, session: Session, take: TakeRecord) -> Finished:
        row = session.execute(select(TakeRow.finish_at, TakeRow.finish_revision).where(TakeRow.id == take.id)).first()
        at, revision = (row[0] or 0, row[1]) if row else (0, 0)
        found = _FINISHES.here(session, take.id, at, lambda: Finishing.as_shot(take.project))
        return Finished(found.document, at, revision, found.label, found.undo, found.redo)

    def untouched(self, take_id: str) -> bool:
        """True when a take is finished as it was shot, told without reading it."""
        with self._sessions() as session:
            return not session.scalars(select(TakeRow.finish_at).where(TakeRow.id == take_id)).first()

    def earlier(self, take: TakeRecord) -> list[tuple[int, str, datetime]]:
        """Number, label and moment of how it was finished before, the last first."""
        with self._sessions() as session:
            return _FINISHES.before(session, take.id, self._finish(session, take).number)

    def stood(self, take: TakeRecord, number: int) -> Finishing:
        """Finishing of a take in one of its states; 0: as it was shot. Raises NotFoundError."""
        with self._sessions() as session:
            if number and session.get(FinishRow, (take.id, number)) is None:
                raise NotFoundError("What it was then is not kept any more.")
            return _FINISHES.here(session, take.id, number, lambda: Finishing.as_shot(take.project)).document

    def set_finish(self, take: TakeRecord, finishing: Finishing, label: str, revision: int) -> Finished:
        """Keep another grade of a take, made on a revision of it; states that were undone are forgotten.

        Raises StaleError when the grade has moved on.
        """
        with self._sessions.begin() as session:
            row = self._current(session, take.id, revision)
            here = self._finish(session, take)
            if finishing != here.finishing:
                row.finish_at = _FINISHES.add(session, take.id, here.number, finishing, label)
                row.finish_revision += 1
                session.flush()
                self._log.claim(document_of(take.id), row.finish_revision)
            finished = self._finish(session, take)
        self._log.tell(document_of(take.id), finished.revision)
        return finished

    def step_finish(self, take: TakeRecord, by: int, revision: int) -> Finished:
        """Undo (−1) or redo (1) the last change; nothing where there is none. Raises StaleError."""
        with self._sessions.begin() as session:
            row = self._current(session, take.id, revision)
            here = self._finish(session, take)
            if here.undo if by < 0 else here.redo:
                row.finish_at = here.number + by
                row.finish_revision += 1
                session.flush()
                self._log.claim(document_of(take.id), row.finish_revision)
            finished = self._finish(session, take)
        self._log.tell(document_of(take.id), finished.revision)
        return finished

    def _current(self, session: Session, take_id: str, revision: int) -> TakeRow:
        """The row of a take whose grade is to be changed, locked before it is read (see `projects.lock_row`). Raises
        NotFoundError, and StaleError when somebody else has changed the grade since."""
        session.execute(update(TakeRow).where(TakeRow.id == take_id).values(finish_revision=TakeRow.finish_revision))
        row = take_row(session, take_id)
        state = session.get(FinishRow, (take_id, row.finish_at or 0))
        label = state.label if state else ""
        self._log.require_version(document_of(take_id), "This grade", row.finish_revision, revision, label)
        return row

    def finish_documents(self) -> list[str]:
        """All states of all takes, as text: which files they need."""
        with self._sessions() as session:
            return list(session.scalars(select(FinishRow.document)))

    def notes(self, take_id: str) -> list[Note]:
        """Notes of a take, in the order of frames."""
        query = select(NoteRow).where(NoteRow.take_id == take_id).order_by(NoteRow.frame, NoteRow.at)
        with self._sessions() as session:
            return [_note(row) for row in session.scalars(query)]

    def pin(self, take_id: str, frame: int, text: str, mark: Mark = ()) -> Note:
        """Pin a note to a frame. Raises NotFoundError when there is no such take."""
        with self._sessions.begin() as session:
            take_row(session, take_id)
            row = NoteRow(
                id=secrets.token_hex(4),
                take_id=take_id,
                frame=frame,
                text=text,
                mark=_MARK.dump_json(mark).decode(),
                done=False,
                revision=0,
                at=now(),
            )
            session.add(row)
            return _note(row)

    def change_note(
        self, take_id: str, note_id: str, revision: int, text: str | None = None, done: bool | None = None
    ) -> Note:
        """Change the words of a note, or whether it is done. Raises NotFoundError, and StaleError when it is of another
        revision by now."""
        with self._sessions.begin() as session:
            session.execute(update(NoteRow).where(NoteRow.id == note_id).values(revision=NoteRow.revision))
            row = _note_row(session, take_id, note_id)
            if row.revision != revision:
                raise StaleError("This note was changed in another window meanwhile. Read it again.", row.revision)
            row.text = row.text if text is None else text
            row.done = row.done if done is None else done
            row.revision += 1
            return _note(row)

    def remove_note(self, take_id: str, note_id: str) -> None:
        """Raises NotFoundError."""
        with self._sessions.begin() as session:
            session.delete(_note_row(session, take_id, note_id))

    def keep_checked(self, take_id: str, source: str, document: str) -> None:
        """Keep what checks found of frames with a fingerprint."""
        with self._sessions.begin() as session:
            take_row(session, take_id)
            session.merge(CheckedRow(take_id=take_id, source=source, document=document, at=now()))

    def checked(self, take_id: str) -> tuple[str, str] | None:
        """Fingerprint and findings of the last checks; None before the first."""
        with self._sessions() as session:
            row = session.get(CheckedRow, take_id)
            return None if row is None else (row.source, row.document)


def _note_row(session: Session, take_id: str, note_id: str) -> NoteRow:
    row = session.get(NoteRow, note_id)
    if row is None or row.take_id != take_id:
        raise NotFoundError("There is no such note; it may have been removed.")
    return row


def _note(row: NoteRow) -> Note:
    return Note(
        id=row.id,
        frame=row.frame,
        text=row.text,
        mark=_MARK.validate_json(row.mark),
        done=row.done,
        at=row.at,
        revision=row.revision,
    )
