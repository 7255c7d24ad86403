"""Cuts of projects with their history, and what was handed over of them."""

import secrets
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from ..core.cut.document import Cut
from ..core.delivery.presets import Delivery
from ..core.errors import ChangeError, NotFoundError
from .change_log import ChangeLog, Document
from .database import BINNED, CutHeadRow, CutRow, DeliveryRow, now
from .history import Steps, Stood
from .projects import lock_row, project_row

_CUTS = Steps(CutRow, "project_id", Cut)
EMPTY = Cut()


@dataclass(frozen=True, slots=True)
class CutState:
    """A project's cut as it stands."""

    cut: Cut
    version: int
    label: str
    undo: bool
    redo: bool


@dataclass(frozen=True, slots=True)
class Handed:
    """Something that was, or is to be, handed over."""

    id: str
    project_id: str
    name: str
    delivery: Delivery
    cut: Cut
    report: str | None
    bytes: int
    at: datetime


def document_of(project_id: str) -> Document:
    """Name of a project's cut in the log of changes."""
    return "cut", project_id


class CutStore:
    """Cuts and deliveries in the database."""

    def __init__(self, sessions: sessionmaker[Session], log: ChangeLog):
        self._sessions, self._log = sessions, log

    def get(self, project_id: str, begins: Cut = EMPTY) -> CutState:
        """A project's cut; `begins` is what one looks like that nobody has edited. Raises NotFoundError."""
        with self._sessions() as session:
            return self._state(session, project_id, begins)

    def edit(
        self, project_id: str, base_version: int, change: Callable[[Cut], tuple[Cut, str]], begins: Cut = EMPTY
    ) -> CutState:
        """Keep what `change` makes of the cut, and what it calls that. Nothing is kept when it raises.

        Raises StaleError when the version it is made on does not count any more.
        """
        with self._sessions.begin() as session:
            head = self._current(session, project_id, base_version)
            before = self._state(session, project_id, begins)
            cut, label = change(before.cut)
            if cut != before.cut:
                head.cut_at = _CUTS.add(session, project_id, head.cut_at, cut, label)
                head.version += 1
                session.flush()
                self._log.claim(document_of(project_id), head.version)
            state = self._state(session, project_id, begins)
        self._log.tell(document_of(project_id), state.version)
        return state

    def step(self, project_id: str, base_version: int, by: int, begins: Cut = EMPTY) -> CutState:
        """Undo (−1) or redo (1). Raises ChangeError where there is nothing left, StaleError."""
        with self._sessions.begin() as session:
            head = self._current(session, project_id, base_version)
            here = self._state(session, project_id, begins)
            if not (here.undo if by < 0 else here.redo):
                raise ChangeError("There is nothing to undo." if by < 0 else "There is nothing to redo.")
            head.cut_at, head.version = head.cut_at + by, head.version + 1
            session.flush()
            self._log.claim(document_of(project_id), head.version)
            state = self._state(session, project_id, begins)
        self._log.tell(document_of(project_id), state.version)
        return state

    def documents(self) -> list[str]:
        """All states of all cuts, and what is handed over of them, as text: which files they need."""
        with self._sessions() as session:
            return [*session.scalars(select(CutRow.document)), *session.scalars(select(DeliveryRow.cut))]

    def _state(self, session: Session, project_id: str, begins: Cut) -> CutState:
        project_row(session, project_id)
        head = session.get(CutHeadRow, project_id)
        at, version = (head.cut_at, head.version) if head else (0, 0)
        found: Stood[Cut] = _CUTS.here(session, project_id, at, lambda: begins)
        return CutState(found.document, version, found.label, found.undo, found.redo)

    def _current(self, session: Session, project_id: str, base_version: int) -> CutHeadRow:
        lock_row(session, project_id)
        head = session.get(CutHeadRow, project_id)
        if head is None:
            head = CutHeadRow(project_id=project_id, cut_at=0, version=0)
            session.add(head)
            session.flush()
        row = session.get(CutRow, (project_id, head.cut_at))
        label = row.label if row else ""
        self._log.require_version(document_of(project_id), "The cut", head.version, base_version, label)
        return head

    def hand_over(self, project_id: str, name: str, delivery: Delivery, cut: Cut) -> Handed:
        """Note that something is to be handed over, under a name no other has; gives it with the name it got."""
        with self._sessions.begin() as session:
            row = DeliveryRow(
                id=secrets.token_hex(6),
                project_id=project_id,
                name=_free_name(session, project_id, name),
                spec=delivery.model_dump_json(),
                cut=cut.model_dump_json(),
                report=None,
                bytes=0,
                at=now(),
            )
            session.add(row)
            session.flush()
            return _handed(row)

    def rename_delivery(self, delivery_id: str, name: str) -> str:
        """Give a delivery a name that no other has; returns it. Raises NotFoundError."""
        with self._sessions.begin() as session:
            row = _delivery_row(session, delivery_id)
            row.name = _free_name(session, row.project_id, name)
            return row.name

    def handed(self, project_id: str) -> list[Handed]:
        """Deliveries of a project, the last first."""
        query = select(DeliveryRow).where(DeliveryRow.project_id == project_id).order_by(DeliveryRow.at.desc())
        with self._sessions() as session:
            return [_handed(row) for row in session.scalars(query)]

    def any_handed(self, project_id: str) -> bool:
        """True when a delivery of a project is finished."""
        query = select(DeliveryRow.id).where(DeliveryRow.project_id == project_id, DeliveryRow.report.is_not(None))
        with self._sessions() as session:
            return session.scalar(query.limit(1)) is not None

    def one(self, delivery_id: str, binned: bool = False) -> Handed:
        """A delivery, also one in the bin where that is asked for. Raises NotFoundError."""
        with self._sessions() as session:
            return _handed(_delivery_row(session, delivery_id, binned))

    def opened(self, delivery_id: str, report: str, size: int) -> None:
        """Keep what was found when it was opened again. Raises NotFoundError."""
        with self._sessions.begin() as session:
            row = _delivery_row(session, delivery_id)
            row.report, row.bytes = report, size

    def forget(self, delivery_id: str) -> None:
        """Forget a delivery that was never made. Raises NotFoundError."""
        with self._sessions.begin() as session:
            session.delete(_delivery_row(session, delivery_id))


def _free_name(session: Session, project_id: str, name: str) -> str:
    """A file name, numbered where another delivery of the project has it."""
    named = select(DeliveryRow.name).where(DeliveryRow.project_id == project_id).execution_options(**BINNED)
    taken = set(session.scalars(named))
    stem, dot, ending = name.rpartition(".")
    stem, dot, ending = (stem, dot, ending) if stem else (name, "", "")
    tries = (f"{stem}{'' if n == 1 else f'-{n}'}{dot}{ending}" for n in range(1, len(taken) + 2))
    return next(t for t in tries if t not in taken)


def _delivery_row(session: Session, delivery_id: str, binned: bool = False) -> DeliveryRow:
    row = session.get(DeliveryRow, delivery_id, execution_options={"binned": binned})
    if row is None:
        raise NotFoundError("There is no such delivery; it may have been removed.")
    return row


def _handed(row: DeliveryRow) -> Handed:
    return Handed(
        row.id,
        row.project_id,
        row.name,
        Delivery.model_validate_json(row.spec),
        Cut.model_validate_json(row.cut),
        row.report,
        row.bytes,
        row.at,
    )
