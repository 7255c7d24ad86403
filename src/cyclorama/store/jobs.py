"""Work in the background, kept: what was asked for goes on after a restart, and what came of it can be asked after.

One process does a job at a time. It holds a lock file as long as it lives (`Claims`), so that what it leaves undone
when it dies is found, and done by another.
"""

import json
import secrets
import threading
from dataclasses import dataclass
from pathlib import Path

from pydantic import BaseModel
from sqlalchemy import delete, select, update
from sqlalchemy.orm import Session, sessionmaker

from ..core.errors import NotFoundError
from ..core.host.holds import forget, hold, is_held
from .database import JobKind, JobRow, JobState, now

Result = dict[str, str | int]
"""What came of a job, by name."""
UNFINISHED: tuple[JobState, ...] = ("waiting", "running")
WORKING = "working"
"""Folder of claims within a data folder."""
KEPT = 100
"""So many jobs of a kind that have ended are remembered."""
MOST_TRIES = 2
DIED = "Cyclorama ended in the middle of it, more than once. Try it again, or with something smaller."
CANCELLED = "Cancelled."
_NO_JOB = "There is no such work; it may have been forgotten since it was done."


@dataclass(frozen=True, slots=True)
class Job:
    """Something that is done in the background, as it stands."""

    id: str
    kind: JobKind
    about: str
    name: str
    spec: str
    """JSON: all that is needed to do it"""
    state: JobState
    stopping: bool
    what: str
    share: float
    message: str
    result: Result | None

    @property
    def ended(self) -> bool:
        return self.state not in UNFINISHED


class Claims:
    """Owner of jobs: a name that counts as long as its holder lives."""

    def __init__(self, folder: Path):
        self._folder = folder
        folder.mkdir(parents=True, exist_ok=True)
        self.owner = secrets.token_hex(8)
        self._hold = hold(self._path(self.owner))

    def lives(self, owner: str) -> bool:
        """True when the holder of a name lives; names of the dead are forgotten."""
        if is_held(self._path(owner)):
            return True
        forget(self._path(owner))
        return False

    def close(self) -> None:
        """Let go of the name."""
        forget(self._path(self.owner))
        if self._hold is not None:
            self._hold.close()

    def _path(self, owner: str) -> Path:
        return self._folder / f"{owner}.lock"


def anybody_works(folder: Path) -> bool:
    """True when a holder of any name in a folder of claims lives."""
    return any(is_held(path) for path in folder.glob("*.lock"))


class JobStore:
    """Jobs in the database."""

    def __init__(self, sessions: sessionmaker[Session]):
        self._sessions = sessions
        self._asking = threading.Lock()

    def ask(self, kind: JobKind, about: str, name: str, spec: BaseModel) -> Job:
        """Ask for something; one of this kind about the same that is waited for already is that one."""
        with self._asking, self._sessions.begin() as session:
            row = _latest(session, kind, about)
            if row is None or row.state not in UNFINISHED:
                row = JobRow(
                    id=secrets.token_hex(8),
                    kind=kind,
                    about=about,
                    name=name,
                    spec=spec.model_dump_json(),
                    state="waiting",
                    stopping=False,
                    what="Waiting",
                    share=0.0,
                    message="",
                    tries=0,
                    created=now(),
                )
                session.add(row)
                session.flush()
                _forget_oldest(session, kind)
            return _job(row)

    def get(self, job_id: str) -> Job:
        """A job as it stands. Raises NotFoundError."""
        with self._sessions() as session:
            row = session.scalars(select(JobRow).where(JobRow.id == job_id)).first()
            if row is None:
                raise NotFoundError(_NO_JOB)
            return _job(row)

    def find(self, kind: JobKind, about: str) -> Job | None:
        """The last job of a kind about something, None where there was none."""
        with self._sessions() as session:
            row = _latest(session, kind, about)
            return None if row is None else _job(row)

    def unfinished_specs(self) -> list[str]:
        """Specifications of unfinished jobs."""
        with self._sessions() as session:
            return list(session.scalars(select(JobRow.spec).where(JobRow.state.in_(UNFINISHED))))

    def claim(self, kind: JobKind, owner: str, newest_first: bool = False) -> Job | None:
        """Take up the next job of a kind that waits, None where none does."""
        order = JobRow.number.desc() if newest_first else JobRow.number
        waiting = select(JobRow.number).where(JobRow.kind == kind, JobRow.state == "waiting").order_by(order).limit(1)
        claimed = (
            update(JobRow)
            .where(JobRow.number == waiting.scalar_subquery(), JobRow.state == "waiting")
            .values(state="running", owner=owner, tries=JobRow.tries + 1)
            .returning(JobRow)
        )
        with self._sessions() as session:
            if session.scalar(waiting) is None:
                return None  # nobody is kept waiting for the write lock by somebody who has nothing to do
        with self._sessions.begin() as session:
            row = session.scalars(claimed).first()
            return None if row is None else _job(row)

    def tell(self, job_id: str, owner: str, what: str, share: float) -> bool:
        """Say how far a job has come; whether it is still wanted."""
        query = update(JobRow).where(JobRow.id == job_id, JobRow.owner == owner, JobRow.state == "running")
        with self._sessions.begin() as session:
            stopping = session.scalars(query.values(what=what, share=share).returning(JobRow.stopping)).first()
        return stopping is False

    def wanted(self, job_id: str) -> bool:
        """True when nobody asked a running job to stop."""
        query = select(JobRow.stopping).where(JobRow.id == job_id, JobRow.state == "running")
        with self._sessions() as session:
            return session.scalar(query) is False

    def cancel(self, job_id: str) -> Job:
        """Ask for a job not to be done: one that waits has ended then, one that runs is asked to stop."""
        mine = update(JobRow).where(JobRow.id == job_id)
        ended = {"state": "cancelled", "message": CANCELLED}
        with self._sessions.begin() as session:
            session.execute(mine.where(JobRow.state == "waiting").values(**ended))
            session.execute(mine.where(JobRow.state == "running").values(stopping=True))
        return self.get(job_id)

    def end(self, job_id: str, owner: str, state: JobState, message: str = "", result: Result | None = None) -> None:
        """Record how a job ended; `waiting` hands it back to be done another time."""
        values: dict[str, object] = {"state": state, "message": message, "owner": None}
        if state == "done":
            values |= {"share": 1.0, "what": "Done", "result": json.dumps(result or {})}
        if state == "waiting":
            values |= {"tries": JobRow.tries - 1, "what": "Waiting", "share": 0.0}
        with self._sessions.begin() as session:
            session.execute(update(JobRow).where(JobRow.id == job_id, JobRow.owner == owner).values(**values))

    def forget(self, kind: JobKind, state: JobState) -> None:
        """Forget jobs of a kind that ended so."""
        with self._sessions.begin() as session:
            session.execute(delete(JobRow).where(JobRow.kind == kind, JobRow.state == state))

    def take_back(self, claims: Claims) -> None:
        """Requeue the jobs of an owner that died; those tried too often have failed."""
        with self._sessions() as session:
            owners = {o for o in session.scalars(select(JobRow.owner).where(JobRow.state == "running")) if o}
        for owner in owners:
            if claims.lives(owner):
                continue
            left = update(JobRow).where(JobRow.owner == owner, JobRow.state == "running")
            with self._sessions.begin() as session:
                session.execute(left.where(JobRow.stopping).values(state="cancelled", message=CANCELLED, owner=None))
                often = left.where(JobRow.tries >= MOST_TRIES)
                session.execute(often.values(state="failed", message=DIED, owner=None))
                session.execute(left.values(state="waiting", owner=None, what="Waiting", share=0.0))


def _latest(session: Session, kind: JobKind, about: str) -> JobRow | None:
    query = select(JobRow).where(JobRow.kind == kind, JobRow.about == about).order_by(JobRow.number.desc())
    return session.scalars(query.limit(1)).first()


def _forget_oldest(session: Session, kind: JobKind) -> None:
    ended = select(JobRow.number).where(JobRow.kind == kind, JobRow.state.not_in(UNFINISHED))
    old = ended.order_by(JobRow.number.desc()).offset(KEPT)
    session.execute(delete(JobRow).where(JobRow.number.in_(old.subquery().select())))


def _job(row: JobRow) -> Job:
    result: Result | None = None if row.result is None else json.loads(row.result)
    return Job(
        row.id,
        row.kind,
        row.about,
        row.name,
        row.spec,
        row.state,
        row.stopping,
        row.what,
        row.share,
        row.message,
        result,
    )
