"""Takes and their frames."""

import re
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter, ValidationError
from sqlalchemy import Delete, delete, func, or_, select, update
from sqlalchemy.orm import Session, sessionmaker

from ..core.errors import ChangeError, CycloramaError, DamagedError, NotFoundError
from ..core.picture.light_mix import LightChange
from ..core.scene import Project, load_project
from ..core.scene.shoot import Again, PassName
from .database import FrameRow, Process, ProjectRow, TakeRow, TakeState, TroubleRow, Wish, now
from .frame_record import FileSum, FrameRecord
from .pending_reshoots import again_of, keep_again
from .slate_file import TakeSlate, append_frames, has_slate, read_frames, read_slate, write_slate
from .take_index import Slate

BEAUTY, THUMB, MASTER = "beauty", ".thumbs", "master"
"""Folders of a take besides those of its passes; under these names the files of a frame are recorded."""
_BALANCE = TypeAdapter(dict[str, LightChange])
_NUMBER = re.compile(r"-(\d{3,})-[0-9a-f]{4}$")
"""The number of a take within its project, in its id."""
_FILES = TypeAdapter(dict[str, "FileSum | None"])
ENDED: tuple[TakeState, ...] = ("done", "failed", "stopped", "interrupted", "paused")
"""States in which nobody is at work on a take."""


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
    state: TakeState
    wish: Wish
    message: str
    worker_pid: int | None
    forecast_s: float | None
    created: datetime
    started: datetime | None
    finished: datetime | None
    frames: dict[int, FrameRecord]
    source_id: str | None = None
    """the take whose lights this one mixes"""
    balance: dict[str, LightChange] = field(default_factory=dict)
    troubles: dict[int, str] = field(default_factory=dict)
    """why frames were set aside, by number"""
    again: dict[int, Again] = field(default_factory=dict)
    """how frames are shot that were to be shot otherwise than the take"""
    pending: frozenset[int] = frozenset()
    """frames that are there and are to be shot again"""
    process: Process = "mix"
    """the way it is made of its source, where it has one"""

    @property
    def disk_bytes(self) -> int:
        """Room that its frames take."""
        return sum(frame.bytes for frame in self.frames.values())

    @property
    def numbers(self) -> range:
        return range(self.first, self.last + 1, self.every)

    @property
    def every(self) -> int:
        return self.project.shot.shoot.every

    @property
    def moments(self) -> int:
        """Number of frames of the take: one stands for those after it that were skipped."""
        return len(self.numbers) * self.every

    def at(self, moment: int) -> int:
        """The number of the frame that is shown in a moment, 0 the first."""
        return self.numbers[moment // self.every]

    @property
    def waiting(self) -> set[int]:
        """Frames that are there and are to be shot again or to get more passes."""
        wanted = {*self.project.shot.shoot.passes.wanted}
        return {n for n, frame in self.frames.items() if n in self.pending or not wanted <= frame.files.keys()}


class TakeStore:
    """Takes in the database; frames are files in the take's folder."""

    def __init__(self, sessions: sessionmaker[Session], folder: Path):
        self._sessions = sessions
        self.root = folder

    def call(
        self,
        take_id: str,
        name: str,
        project: Project,
        version: int,
        forecast_s: float | None,
        source_id: str | None = None,
        balance: dict[str, LightChange] | None = None,
        queued: bool = True,
        not_before: datetime | None = None,
        process: Process = "mix",
    ) -> TakeRecord:
        """Record a new take of the project as it stands, or of what another take keeps; its turn comes after all that
        wait. Who does not queue it shoots it himself."""
        document = project.model_dump_json()
        load_project(document)  # a document that could not be read again is not recorded
        slate = TakeSlate(
            id=take_id,
            project_id=project.id,
            name=name,
            document=document,
            project_version=version,
            created=now(),
            source_id=source_id,
            balance=balance or {},
            process=process,
        )
        write_slate(self.root / take_id, slate)
        state: TakeState = "queued" if queued else "stopped"
        with self._sessions.begin() as session:
            last = session.scalars(select(func.max(TakeRow.turn)).where(TakeRow.state == "queued")).first()
            turn = (last or 0) + 1
            session.add(_row(slate, project, state, forecast_s=forecast_s, turn=turn, not_before=not_before))
        return self.get(take_id)

    def adopt(self, slate: TakeSlate, message: str) -> TakeRecord:
        """Record a take anew from its slate and the frames noted beside it. Raises ChangeError when its document
        cannot be read."""
        project = load_project(slate.document)
        frames = read_frames(self.root / slate.id)
        wanted = project.shot.frame_numbers
        state: TakeState = "done" if frames.keys() >= {*wanted} else "stopped"
        with self._sessions.begin() as session:
            session.add(_row(slate, project, state, message=message, finished=now() if state == "done" else None))
            session.flush()
            for frame in frames.values():
                session.merge(_frame_row(slate.id, frame))
            called = _NUMBER.search(slate.id)
            owner = session.get(ProjectRow, slate.project_id)
            if called and owner is not None:
                owner.takes_called = max(owner.takes_called, int(called[1]))
        return self.get(slate.id)

    def write_missing_slates(self) -> None:
        """Write the slates of takes that an earlier version called, as far as they can be read."""
        for take_id in self.ids():
            folder = self.root / take_id
            if has_slate(folder) or not folder.is_dir():
                continue
            with suppress(CycloramaError, OSError), self._sessions() as session:
                take, row = self._record(session, take_row(session, take_id)), take_row(session, take_id)
                append_frames(folder, list(take.frames.values()))
                write_slate(folder, slate_of(take, row.document, row.project_version))

    def get(self, take_id: str) -> TakeRecord:
        """One take; raises NotFoundError, and DamagedError when it cannot be read any more."""
        with self._sessions() as session:
            return self._record(session, take_row(session, take_id))

    def ids(self, project_id: str | None = None, binned: bool = False) -> list[str]:
        """Ids of all takes, also of those that cannot be read, newest first; with those in the bin, or without."""
        query = select(TakeRow.id).order_by(TakeRow.created.desc()).execution_options(binned=binned)
        with self._sessions() as session:
            return list(session.scalars(query.where(TakeRow.project_id == project_id) if project_id else query))

    def next_number(self, project_id: str) -> int:
        """The number of a project's next take; one that was given is never given again, also when the take is gone."""
        count = ProjectRow.takes_called
        query = update(ProjectRow).where(ProjectRow.id == project_id).values(takes_called=count + 1).returning(count)
        with self._sessions.begin() as session:
            number = session.scalars(query).first()
        if number is None:
            raise NotFoundError("There is no such project; it may have been removed.")
        return number

    def next_queued(self) -> str | None:
        """Id of the take whose turn it is; None when none waits, or all for their time."""
        due = or_(TakeRow.not_before.is_(None), TakeRow.not_before <= now())
        query = select(TakeRow.id).where(TakeRow.state == "queued", due).order_by(TakeRow.turn, TakeRow.created)
        with self._sessions() as session:
            return session.scalars(query.limit(1)).first()

    def take_turns(self, take_ids: list[str]) -> None:
        """Put takes that wait into an order; others that wait follow as they are."""
        with self._sessions.begin() as session:
            query = select(TakeRow).where(TakeRow.state == "queued").order_by(TakeRow.turn, TakeRow.created)
            waiting = {row.id: row for row in session.scalars(query)}
            order = [*(i for i in dict.fromkeys(take_ids) if i in waiting), *(i for i in waiting if i not in take_ids)]
            for turn, take_id in enumerate(order, 1):
                waiting[take_id].turn = turn

    def running(self) -> list[tuple[str, int | None, int | None]]:
        """Takes that somebody is at work on: id, process, number of the frame."""
        query = select(TakeRow.id, TakeRow.worker_pid, TakeRow.frame_now).where(TakeRow.state == "running")
        with self._sessions() as session:
            return [(identity, pid, number) for identity, pid, number in session.execute(query)]

    def update(self, take_id: str, **values: Any) -> None:
        """Set columns of a take."""
        if not self.update_if(take_id, (), **values):
            raise NotFoundError(_NO_TAKE)

    def update_if(self, take_id: str, states: tuple[TakeState, ...], pid: int | None = None, /, **values: Any) -> bool:
        """Set columns of a take if it is in one of the states (none given: in any) and, where `pid` is given, in the
        hands of that process; whether it was."""
        query = update(TakeRow).where(TakeRow.id == take_id).values(**values)
        if states:
            query = query.where(TakeRow.state.in_(states))
        if pid is not None:
            query = query.where(TakeRow.worker_pid == pid)
        with self._sessions.begin() as session:
            return bool(session.execute(query).rowcount)  # type: ignore[attr-defined]

    def state(self, take_id: str) -> TakeState:
        """The state alone, also of a take that cannot be read; raises NotFoundError."""
        with self._sessions() as session:
            return take_row(session, take_id).state

    def folder(self, take_id: str) -> Path:
        """Where its files are, also of a take that cannot be read; raises NotFoundError."""
        with self._sessions() as session:
            return self.root / take_row(session, take_id).folder

    def wish(self, take_id: str) -> Wish:
        """Latest request of the artist; ‘stop’ when the take is gone."""
        with self._sessions() as session:
            row = session.get(TakeRow, take_id)
            return row.wish if row else "stop"

    def add_frame(self, take_id: str, frame: FrameRecord, shot_again: bool = False) -> None:
        """Record a finished frame, replacing an earlier record of the same number; what was wrong with it is over.

        shot_again: it stays until it is shot again, which it is to be.
        """
        with self._sessions.begin() as session:
            row = take_row(session, take_id)
            each, pending = again_of(row)
            left = {*pending, frame.number} if shot_again else {*pending} - {frame.number}
            if left != {*pending}:
                keep_again(row, each, left)
            session.merge(_frame_row(take_id, frame))
            session.execute(_troubles(take_id, frame.number))
        if not shot_again:
            append_frames(self.root / take_id, [frame])

    def frames_like(self, key: str, begins: str, most: int = 8) -> list[tuple[str, int]]:
        """Frames whose key begins alike: takes and numbers, those with the same key first, then the newest."""
        alike = FrameRow.key >= begins, FrameRow.key < begins + "g"  # a key is hexadecimal
        there = select(FrameRow.take_id, FrameRow.number).join(TakeRow, TakeRow.id == FrameRow.take_id)
        query = there.where(*alike)
        with self._sessions() as session:
            rows = session.execute(query.order_by(FrameRow.key != key, FrameRow.at.desc()).limit(most))
            return [(take, number) for take, number in rows]

    def drop_frame(self, take_id: str, number: int) -> None:
        with self._sessions.begin() as session:
            row = session.get(FrameRow, (take_id, number))
            if row:
                session.delete(row)

    def add_trouble(self, take_id: str, number: int, reason: str, most_tries: int) -> bool:
        """Record that a frame failed; whether it has by now failed `most_tries` times and is set aside."""
        with self._sessions.begin() as session:
            take_row(session, take_id)
            row = session.get(TroubleRow, (take_id, number))
            tries = 1 + (row.tries if row else 0)
            aside = tries >= most_tries
            session.merge(TroubleRow(take_id=take_id, number=number, tries=tries, aside=aside, reason=reason))
            return aside

    def begin_again(self, take_id: str, numbers: list[int], how: Again) -> bool:
        """Queue a take of which frames are to be shot again; what is there of them stays until the new ones are.
        Whether nobody was at work on it."""
        with self._sessions.begin() as session:
            row = _queued_again(session, take_id)
            if row is None:
                return False
            each, pending = again_of(row)
            each = {n: a for n, a in each.items() if n not in numbers}
            each |= dict.fromkeys(numbers, how) if how != Again() else {}
            there = set(session.scalars(select(FrameRow.number).where(FrameRow.take_id == take_id)))
            keep_again(row, each, {*pending, *numbers} & there)
            return True

    def begin_passes(self, take_id: str, project: Project, names: tuple[PassName, ...]) -> bool:
        """Queue a take that is to have passes as well, or anew, as `project` says, which is otherwise its own; its
        pictures stay. Whether nobody was at work on it."""
        document = project.model_dump_json()
        with self._sessions.begin() as session:
            row = _queued_again(session, take_id)
            if row is None:
                return False
            row.document = document
            slate = read_slate(self.root / take_id)
            if slate is not None:
                write_slate(self.root / take_id, slate.model_copy(update={"document": document}))
            for frame in session.scalars(select(FrameRow).where(FrameRow.take_id == take_id)):
                files = _frame(frame, project).files
                kept = {name: known for name, known in files.items() if name not in names}
                frame.files = _FILES.dump_json(kept).decode()
                frame.key = frame.key if kept == files else None  # it stands for passes as they were
                frame.lacks = True
            return True

    def forgive(self, take_id: str) -> None:
        """Frames that were set aside may be tried again."""
        with self._sessions.begin() as session:
            session.execute(_troubles(take_id))

    def _record(self, session: Session, row: TakeRow) -> TakeRecord:
        frames = session.scalars(select(FrameRow).where(FrameRow.take_id == row.id).order_by(FrameRow.number))
        troubles = session.scalars(select(TroubleRow).where(TroubleRow.take_id == row.id, TroubleRow.aside))
        try:
            project = load_project(row.document)
            balance = _BALANCE.validate_json(row.balance or "{}")
            again, pending = again_of(row)
            records = {f.number: _frame(f, project) for f in frames}
        except (ChangeError, ValidationError) as error:
            why = error.sentence if isinstance(error, ChangeError) else "its records are damaged."
            raise DamagedError(f"The take ‘{row.name}’ cannot be read: {why}") from error
        return TakeRecord(
            row.id, row.project_id, row.name, project, self.root / row.folder, row.first, row.last, row.state,
            row.wish, row.message, row.worker_pid, row.forecast_s, row.created, row.started, row.finished, records,
            row.source_id, balance, {t.number: t.reason for t in troubles}, again, frozenset(pending), row.process,
        )  # fmt: skip


_NO_TAKE = "There is no such take; it may have been removed."


def slate_of(take: TakeRecord, document: str, project_version: int) -> TakeSlate:
    """Slate of a take; `document` is the JSON of its project in that version."""
    fields = ("id", "project_id", "name", "created", "source_id", "balance", "process")
    given = {name: getattr(take, name) for name in fields}
    return TakeSlate(document=document, project_version=project_version, **given)


def take_row(session: Session, take_id: str) -> TakeRow:
    """The row of a take. Raises NotFoundError."""
    row = session.get(TakeRow, take_id)
    if row is None:
        raise NotFoundError(_NO_TAKE)
    return row


def _queued_again(session: Session, take_id: str) -> TakeRow | None:
    """The row of a take that is queued once more, all of whose frames may be tried; None where somebody is at work on
    it. Raises NotFoundError."""
    row = take_row(session, take_id)
    if row.state not in ENDED:
        return None
    row.state, row.wish, row.message = "queued", "run", ""
    session.execute(_troubles(take_id))
    return row


def _troubles(take_id: str, number: int | None = None) -> Delete:
    query = delete(TroubleRow).where(TroubleRow.take_id == take_id)
    return query if number is None else query.where(TroubleRow.number == number)


def _row(slate: TakeSlate, project: Project, state: TakeState, **more: Any) -> TakeRow:
    numbers = project.shot.frame_numbers
    values: dict[str, Any] = {"wish": "run", "message": ""} | more
    return TakeRow(
        id=slate.id, project_id=slate.project_id, name=slate.name, document=slate.document,
        project_version=slate.project_version, folder=slate.id, first=numbers[0], last=numbers[-1], state=state,
        slate=Slate.of(project).model_dump_json(), created=slate.created, source_id=slate.source_id,
        balance=_BALANCE.dump_json(slate.balance).decode(), process=slate.process, **values,
    )  # fmt: skip


def _frame_row(take_id: str, frame: FrameRecord) -> FrameRow:
    beauty = frame.files[BEAUTY]
    assert beauty is not None
    return FrameRow(take_id=take_id, number=frame.number, file=frame.file, sha256=beauty.sha256, size=beauty.size,
                    bytes=frame.bytes, seconds=frame.seconds, clamped=frame.clamped, at=now(),
                    files=_FILES.dump_json(frame.files).decode(), key=frame.key, machine=frame.machine,
                    lacks=False)  # fmt: skip


def _frame(row: FrameRow, project: Project) -> FrameRecord:
    beauty = FileSum(row.sha256, row.size)
    unsummed: dict[str, FileSum | None] = dict.fromkeys(project.shot.shoot.passes.wanted)
    files = unsummed | {BEAUTY: beauty} if row.files is None else _FILES.validate_json(row.files)
    return FrameRecord(row.number, row.file, files, row.seconds, row.clamped, row.key, row.machine)
