"""Small documents that are kept with every state they had, so that changes can be taken back also after a restart."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Generic, TypeVar

from pydantic import BaseModel, ValidationError
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from .database import now

D = TypeVar("D", bound=BaseModel)
MOST_STATES = 200
"""Older states than so many are forgotten."""


@dataclass(frozen=True, slots=True)
class Stood(Generic[D]):
    """A document as it stands, and where it stands among what was tried."""

    document: D
    label: str
    undo: bool
    redo: bool


class Steps(Generic[D]):
    """States of one kind of document: rows of an owner, a number from 1 on, and the document as JSON.

    Which number counts is kept by whoever calls; 0 is how it begins.
    """

    def __init__(self, rows: Any, owner: str, kind: type[D]):
        self._rows, self._owner, self._kind = rows, owner, kind

    def here(self, session: Session, owner: str, at: int, begins: Callable[[], D]) -> Stood[D]:
        """State `at` of an owner's document. One that cannot be read any more counts as not there."""
        mine = getattr(self._rows, self._owner) == owner
        last = session.scalars(select(func.max(self._rows.number)).where(mine)).first() or 0
        first = session.scalars(select(func.min(self._rows.number)).where(mine)).first() or 1
        row = session.get(self._rows, (owner, at)) if at else None
        try:
            document = self._kind.model_validate_json(row.document) if row else begins()
        except ValidationError:
            document = begins()
        # before the oldest kept state lies the beginning only while nothing was forgotten
        return Stood(document, row.label if row else "", at > (0 if first == 1 else first), at < last)

    def before(self, session: Session, owner: str, at: int) -> list[tuple[int, str, datetime]]:
        """Number, label and moment of the states before number `at` that are kept, the last first."""
        mine = getattr(self._rows, self._owner) == owner
        query = select(self._rows).where(mine, self._rows.number < at).order_by(self._rows.number.desc())
        return [(row.number, row.label, row.at) for row in session.scalars(query)]

    def add(self, session: Session, owner: str, at: int, document: D, label: str) -> int:
        """A state more after number `at`; later ones are forgotten. Gives its number."""
        mine = getattr(self._rows, self._owner) == owner
        other = (self._rows.number > at) | (self._rows.number <= at - MOST_STATES)
        session.execute(delete(self._rows).where(mine, other))
        told = {self._owner: owner, "number": at + 1, "label": label, "document": document.model_dump_json()}
        session.add(self._rows(**told, at=now()))
        session.flush()
        return at + 1
