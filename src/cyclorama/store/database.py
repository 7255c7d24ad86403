"""The SQLite database: tables, and opening it at the newest schema."""

import sqlite3
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path
from typing import Literal

from sqlalchemy import Engine, ForeignKey, Index, String, create_engine, event, inspect, text
from sqlalchemy.engine import ExceptionContext
from sqlalchemy.orm import (
    DeclarativeBase,
    Mapped,
    ORMExecuteState,
    Session,
    mapped_column,
    sessionmaker,
    with_loader_criteria,
)

from ..core.errors import BusyError, CycloramaError, DamagedError, SpaceError

DATABASE = "studio.sqlite"
BEFORE = ".before-"
"""Follows the name of a database that was replaced or brought up to date; then when, or the schema it has."""
MIGRATIONS = Path(__file__).parent / "migrations"
SCHEMAS = tuple(sorted(path.name[:4] for path in MIGRATIONS.glob("versions/[0-9]*.py")))
"""Revisions of the tables, the newest last."""
TakeState = Literal["queued", "running", "paused", "stopped", "interrupted", "failed", "done"]
Wish = Literal["run", "pause", "stop"]
Process = Literal["mix", "denoise"]
JobKind = Literal[
    "intake", "again", "clip", "poster", "proof", "swatches", "ready", "check", "delivery", "post", "bundle"
]
JobState = Literal["waiting", "running", "done", "failed", "cancelled"]


class NewerError(CycloramaError):
    """A database is of a newer version of the program."""


def now() -> datetime:
    return datetime.now(UTC).replace(tzinfo=None)


class Base(DeclarativeBase):
    type_annotation_map = dict.fromkeys((TakeState, Wish, Process, JobKind, JobState), String)


class Removable:
    """Something that lies in the bin for a while when it was removed. Queries do not find it there, unless their
    execution option `binned` is set."""

    removed: Mapped[datetime | None] = mapped_column(default=None)
    """when it was put into the bin"""


class ProjectRow(Removable, Base):
    """A project; its document is the history row at `cursor`."""

    __tablename__ = "project"
    id: Mapped[str] = mapped_column(primary_key=True)
    name: Mapped[str]
    version: Mapped[int]
    """counts every saved change, undo and redo; what edits are checked against"""
    cursor: Mapped[int]
    created: Mapped[datetime]
    updated: Mapped[datetime]
    takes_called: Mapped[int] = mapped_column(default=0)
    """number of takes that there have ever been: the next one's number is never one that was used"""


class HistoryRow(Base):
    """One state of a project's document; see `patches`."""

    __tablename__ = "history"
    project_id: Mapped[str] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"), primary_key=True)
    seq: Mapped[int] = mapped_column(primary_key=True)
    label: Mapped[str]
    """label of the change that led here"""
    document: Mapped[str]
    """JSON: the whole document, or what changed since the state before"""
    patch: Mapped[bool] = mapped_column(default=False)
    at: Mapped[datetime]


class TakeRow(Removable, Base):
    """One rendered sequence with its slate."""

    __tablename__ = "take"
    id: Mapped[str] = mapped_column(primary_key=True)
    project_id: Mapped[str] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"))
    name: Mapped[str]
    document: Mapped[str]
    """the project as it was when the take was called"""
    project_version: Mapped[int]
    folder: Mapped[str]
    first: Mapped[int]
    last: Mapped[int]
    state: Mapped[TakeState]
    wish: Mapped[Wish]
    """the last wish of the artist"""
    message: Mapped[str]
    slate: Mapped[str | None]
    """JSON: what lists say of the document; None in takes of earlier versions that nobody has listed yet"""
    worker_pid: Mapped[int | None]
    """the process that shoots it"""
    frame_now: Mapped[int | None]
    """the frame in the hands of that process"""
    forecast_s: Mapped[float | None]
    created: Mapped[datetime]
    started: Mapped[datetime | None]
    """when it was taken up last"""
    finished: Mapped[datetime | None]
    source_id: Mapped[str | None]
    """the take whose lights this one mixes; None for one that is rendered"""
    balance: Mapped[str | None]
    """JSON: what is done to which light"""
    turn: Mapped[int] = mapped_column(server_default="0")
    """takes that wait are shot in the order of this, and of their age"""
    not_before: Mapped[datetime | None]
    """it is not begun sooner"""
    finish_at: Mapped[int | None]
    """number of the state in which its picture is; None: as it was shot"""
    finish_revision: Mapped[int] = mapped_column(server_default="0", default=0)
    """counts every change of its grade, undo and redo; what changes are checked against"""
    again: Mapped[str | None]
    """JSON: frames that are to be shot otherwise than the take, and how"""
    process: Mapped[Process] = mapped_column(server_default="mix")
    """the way it is made of its source, where it has one"""
    starred: Mapped[bool] = mapped_column(server_default="0", default=False)


class FrameRow(Base):
    """A frame that is finished and on disk."""

    __tablename__ = "frame"
    take_id: Mapped[str] = mapped_column(ForeignKey("take.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    file: Mapped[str]
    sha256: Mapped[str]
    size: Mapped[int]
    bytes: Mapped[int]
    """of all its files together"""
    seconds: Mapped[float]
    clamped: Mapped[float | None]
    """share of the light that clamping took away"""
    files: Mapped[str | None]
    """JSON: SHA-256 and size of every file of the frame, by pass; None in frames of earlier versions"""
    key: Mapped[str | None] = mapped_column(index=True)
    """equal for frames that show the same; None in frames of earlier versions, and of mixed lights"""
    machine: Mapped[str | None]
    """where it was made; None: where the studio is"""
    at: Mapped[datetime]
    lacks: Mapped[bool] = mapped_column(default=False)
    """true when it is to get passes that it does not have"""


class TroubleRow(Base):
    """A frame that could not be shot."""

    __tablename__ = "trouble"
    take_id: Mapped[str] = mapped_column(ForeignKey("take.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    tries: Mapped[int]
    aside: Mapped[bool]
    """it is not tried again until the take is resumed"""
    reason: Mapped[str]


class FinishRow(Base):
    """One state of what is done to a take's picture; the one that counts is the take's `finish_at`."""

    __tablename__ = "finish"
    take_id: Mapped[str] = mapped_column(ForeignKey("take.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    document: Mapped[str]
    label: Mapped[str]
    """label of the change that led here"""
    at: Mapped[datetime]


class CutRow(Base):
    """One state of a project's cut; the one that counts is told by its `CutHeadRow`."""

    __tablename__ = "cut"
    project_id: Mapped[str] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    document: Mapped[str]
    label: Mapped[str]
    """label of the change that led here"""
    at: Mapped[datetime]


class CutHeadRow(Base):
    """Which state of a project's cut counts."""

    __tablename__ = "cut_head"
    project_id: Mapped[str] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"), primary_key=True)
    cut_at: Mapped[int]
    version: Mapped[int]
    """counts every change, undo and redo; what edits are checked against"""


class DeliveryRow(Removable, Base):
    """Something that was, or is to be, handed over."""

    __tablename__ = "delivery"
    id: Mapped[str] = mapped_column(primary_key=True)
    project_id: Mapped[str] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"), index=True)
    name: Mapped[str]
    """of its file or folder, within the project's folder of deliveries"""
    spec: Mapped[str]
    """JSON: how it is written"""
    cut: Mapped[str]
    """JSON: the cut as it was when it was asked for"""
    report: Mapped[str | None]
    """JSON: what was found when it was opened again; None until it is there"""
    bytes: Mapped[int]
    at: Mapped[datetime]


class PostRow(Base):
    """Something that was, or is to be, posted to a portfolio service."""

    __tablename__ = "post"
    id: Mapped[str] = mapped_column(primary_key=True)
    project_id: Mapped[str] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"), index=True)
    post: Mapped[str]
    """JSON: what is posted"""
    service: Mapped[str]
    """address of the service"""
    key: Mapped[str]
    """of the account there"""
    shown_at: Mapped[str | None]
    """address of the post; None until it is there"""
    at: Mapped[datetime]


class TokenRow(Base):
    """A token of a program that uses the studio."""

    __tablename__ = "token"
    id: Mapped[str] = mapped_column(primary_key=True)
    name: Mapped[str]
    """the program or machine it is for"""
    digest: Mapped[str] = mapped_column(unique=True)
    """SHA-256 of its secret, in hexadecimal"""
    made: Mapped[datetime]
    used: Mapped[datetime | None]


class NoteRow(Base):
    """Something that was said of a frame."""

    __tablename__ = "note"
    id: Mapped[str] = mapped_column(primary_key=True)
    take_id: Mapped[str] = mapped_column(ForeignKey("take.id", ondelete="CASCADE"), index=True)
    frame: Mapped[int]
    text: Mapped[str]
    mark: Mapped[str]
    """JSON: what was drawn, lines of points in shares of the picture"""
    done: Mapped[bool]
    revision: Mapped[int] = mapped_column(server_default="0", default=0)
    """counts its changes; what changes are checked against"""
    at: Mapped[datetime]


class CheckedRow(Base):
    """Findings of a take's checks."""

    __tablename__ = "checked"
    take_id: Mapped[str] = mapped_column(ForeignKey("take.id", ondelete="CASCADE"), primary_key=True)
    source: Mapped[str]
    """a fingerprint of the frames that were checked"""
    document: Mapped[str]
    at: Mapped[datetime]


class JobRow(Base):
    """Something that is done in the background."""

    __tablename__ = "job"
    number: Mapped[int] = mapped_column(primary_key=True)
    id: Mapped[str] = mapped_column(unique=True)
    kind: Mapped[JobKind]
    about: Mapped[str]
    """what it is done to: two of one kind about the same are one"""
    name: Mapped[str]
    """its name for people"""
    spec: Mapped[str]
    """JSON: all that is needed to do it, also after a restart"""
    state: Mapped[JobState]
    stopping: Mapped[bool]
    """it was asked to stop and has not yet done so"""
    what: Mapped[str]
    """the present step"""
    share: Mapped[float]
    """of the whole that is done, 0…1"""
    message: Mapped[str]
    """why it failed"""
    result: Mapped[str | None]
    """JSON: what came of it"""
    owner: Mapped[str | None]
    """who does it, see `Claims`"""
    tries: Mapped[int]
    created: Mapped[datetime]


Index("job_by_about", JobRow.kind, JobRow.about)
Index("take_by_project", TakeRow.project_id)
Index("take_by_state", TakeRow.state)


BUSY_MS = 15_000
"""So long a statement waits for somebody who holds the database, before it is refused."""


def _pragmas(connection, _record) -> None:  # type: ignore[no-untyped-def]
    cursor = connection.cursor()
    cursor.execute("PRAGMA journal_mode=WAL")
    cursor.execute("PRAGMA foreign_keys=ON")
    cursor.execute(f"PRAGMA busy_timeout={BUSY_MS}")
    cursor.close()


_FULL = (sqlite3.SQLITE_FULL, sqlite3.SQLITE_IOERR_WRITE, sqlite3.SQLITE_IOERR_SHMSIZE, sqlite3.SQLITE_IOERR_FSYNC)


def _in_words(context: ExceptionContext) -> None:
    """Errors that can happen to any statement, as errors with a sentence."""
    error = context.original_exception
    code = getattr(error, "sqlite_errorcode", 0)
    if code & 0xFF in (sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED):
        raise BusyError from error
    if code in _FULL:
        raise SpaceError from error
    if code & 0xFF == sqlite3.SQLITE_CORRUPT:
        raise DamagedError("The studio's database is damaged. Close Cyclorama and start it again.") from error


def open_database(path: Path) -> sessionmaker[Session]:
    """Open or create the database and bring it to the newest schema; an older one is kept beside it as it was.

    Raises NewerError.
    """
    path.parent.mkdir(parents=True, exist_ok=True)
    engine: Engine = create_engine(f"sqlite:///{path}")
    event.listen(engine, "connect", _pragmas)
    event.listen(engine, "handle_error", _in_words)
    schema = _schema(engine)
    if schema not in (None, *SCHEMAS):
        raise NewerError(
            f"The studio in {path.parent} was written by a newer version of Cyclorama. Update the program, or choose "
            "another folder with --data."
        )
    if schema is not None and schema != SCHEMAS[-1]:
        with closing(sqlite3.connect(path)) as old, closing(sqlite3.connect(f"{path}{BEFORE}{schema}")) as kept:
            old.backup(kept)
    if schema != SCHEMAS[-1]:
        _upgrade(engine)
    sessions = sessionmaker(engine, expire_on_commit=False)
    event.listen(sessions, "do_orm_execute", _leave_binned_out)
    return sessions


def _schema(engine: Engine) -> str | None:
    """Revision of a database's tables; None of one that has none yet."""
    with engine.connect() as connection:
        if not inspect(connection).has_table("alembic_version"):
            return None
        schema: str | None = connection.execute(text("SELECT version_num FROM alembic_version")).scalar()
        return schema


def _upgrade(engine: Engine) -> None:
    from alembic import command  # only needed after an update of the program
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine.connect() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")


BINNED = {"binned": True}
"""Execution options of a query that finds what lies in the bin, too."""


def _leave_binned_out(state: ORMExecuteState) -> None:
    if state.is_select and not state.is_column_load and not state.execution_options.get("binned"):
        there = with_loader_criteria(Removable, lambda kind: kind.removed.is_(None), include_aliases=True)
        state.statement = state.statement.options(there)


def checkpoint(sessions: sessionmaker[Session]) -> None:
    """Write the whole log into the database file, as far as nobody is reading older states of it."""
    with sessions() as session:
        session.connection().exec_driver_sql("PRAGMA wal_checkpoint(TRUNCATE)")
