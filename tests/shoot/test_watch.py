"""The night's shoot: workers that race, die, hang or find no room, and the queue that goes on."""

import os
import signal
import sqlite3
import subprocess
import sys
import threading
from pathlib import Path

import psutil
import pytest
from tests.conftest import fill
from tests.shoot.test_shoot import contents, studio_with, wait_for

from cyclorama.app import takes as take_service
from cyclorama.app.bin import delete
from cyclorama.core.errors import DamagedError, NotFoundError
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.sequence.size import reserve_bytes
from cyclorama.shoot.frames.files import frame_path, frames_to_shoot, pass_path, thumb_path
from cyclorama.shoot.frames.pipeline import FrameMaker
from cyclorama.shoot.run import worker, worker_lock
from cyclorama.shoot.run.take import shoot_take
from cyclorama.shoot.run.watch import Watch, mark_interrupted, orphans
from cyclorama.shoot.run.worker_lock import shooting, who_shoots
from cyclorama.store import Saved, Studio, TakeRecord, database


def queued(studio: Studio, saved: Saved) -> TakeRecord:
    """A take that waits, and nobody was told of it."""
    take = take_service.call_take(studio, saved, start=False)
    studio.takes.update(take.id, state="queued")
    return take


def states(studio: Studio) -> set[str]:
    return {take.state for take in studio.take_list.all()}


def first_frames(studio: Studio, take: TakeRecord, count: int = 1) -> int:
    """Wait until a take has some frames; the process that shoots it."""
    wait_for(lambda: len(studio.takes.get(take.id).frames) >= count)
    pid = studio.takes.get(take.id).worker_pid
    assert pid
    return pid


def test_looking_never_keeps_a_worker_out(data_folder: Path) -> None:
    """Who asks whether somebody shoots must not seem to be shooting."""
    studio, saved = studio_with(data_folder)
    take = take_service.call_take(studio, saved, start=False)
    studio.takes.update(take.id, state="running", worker_pid=1)
    stop = threading.Event()

    def look() -> None:
        while not stop.is_set():
            orphans(studio)

    pages = [threading.Thread(target=look) for _ in range(3)]
    for page in pages:
        page.start()
    try:
        refused = 0
        for _ in range(200):
            with shooting(data_folder) as beat:
                refused += beat is None
                assert who_shoots(data_folder) is not None
                with shooting(data_folder) as second:
                    assert second is None
        assert refused == 0
    finally:
        stop.set()
        for page in pages:
            page.join()
    assert who_shoots(data_folder) is None


def test_a_take_in_new_hands_is_not_marked_by_who_saw_the_old_ones(data_folder: Path) -> None:
    studio, saved = studio_with(data_folder)
    take = take_service.call_take(studio, saved, start=False)
    studio.takes.update(take.id, state="running", worker_pid=4)
    assert not studio.takes.update_if(take.id, ("running",), 3, state="interrupted")
    mark_interrupted(studio)
    assert studio.takes.state(take.id) == "interrupted"


def test_two_workers_two_resumes_and_pages_that_look(data_folder: Path) -> None:
    """Everything at once, and every take is shot."""
    studio, saved = studio_with(data_folder, frames=2)
    takes = [queued(studio, saved) for _ in range(3)]
    studio.takes.update(takes[0].id, state="stopped")
    watch = Watch(studio, look_every_s=0.05)
    watch.start()
    try:
        command = [sys.executable, "-m", "cyclorama.shoot.run.worker", "--data", str(data_folder)]
        workers = [subprocess.Popen(command) for _ in range(2)]
        resumes = [threading.Thread(target=take_service.resume, args=(studio, takes[0].id)) for _ in range(2)]
        for resume in resumes:
            resume.start()
        for resume in resumes:
            resume.join()
        wait_for(lambda: states(studio) == {"done"})
        wait_for(lambda: sum(w.poll() is None for w in workers) <= 1)  # one may only just have begun to look
    finally:
        watch.close()
        worker_lock.end(data_folder)
        for w in workers:
            w.wait()


def test_a_worker_that_takes_its_time_to_start_is_the_only_one(data_folder: Path) -> None:
    """Takes called one after the other on a slow machine: each found nobody shooting yet, and started a worker."""
    studio, saved = studio_with(data_folder, frames=1)
    queued(studio, saved)
    for _ in range(5):
        worker.ensure_worker(studio)
    try:
        begun = [p for p in psutil.Process().children() if p.status() != "zombie" and str(data_folder) in p.cmdline()]
        assert len(begun) == 1
        wait_for(lambda: who_shoots(data_folder) is not None)
        begun[0].kill()
        begun[0].wait()
        assert worker.start_worker(data_folder) is not None  # the one that was starting is gone
    finally:
        wait_for(lambda: who_shoots(data_folder) is not None)
        worker_lock.end(data_folder)


def test_a_dead_worker_is_replaced_and_leaves_no_zombie(data_folder: Path, tmp_path: Path, tracer: Tracer) -> None:
    studio, saved = studio_with(data_folder, samples=256, frames=8)
    first = queued(studio, saved)
    watch = Watch(studio, look_every_s=0.05)
    watch.start()
    try:
        pid = first_frames(studio, first)
        os.kill(pid, signal.SIGKILL)
        wait_for(lambda: states(studio) == {"done"})
        assert not psutil.pid_exists(pid)
        # 64 samples differ from frame to frame, but not from run to run; elsewhere, or frames would be taken over
        other, same = studio_with(tmp_path / "other", samples=256, frames=8)
        second = take_service.call_take(other, same, start=False)
        assert shoot_take(other, second.id, tracer) == "done"
        assert contents(studio.takes.get(first.id)) == contents(other.takes.get(second.id))
    finally:
        watch.close()
        worker_lock.end(data_folder)


def test_a_worker_that_hangs_can_be_stopped_and_replaced(data_folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(worker_lock, "SILENT_S", 3.0)
    studio, saved = studio_with(data_folder, samples=256, frames=24)
    take = take_service.call_take(studio, saved)
    pid = first_frames(studio, take)
    os.kill(pid, signal.SIGSTOP)
    wait_for(lambda: (there := who_shoots(data_folder)) is not None and there.hangs)
    take_service.stop(studio, take.id)
    assert studio.takes.state(take.id) == "stopped"
    assert who_shoots(data_folder) is None
    take_service.resume(studio, take.id)
    before = len(studio.takes.get(take.id).frames)
    wait_for(lambda: len(studio.takes.get(take.id).frames) > before)
    pid = first_frames(studio, take)
    os.kill(pid, signal.SIGSTOP)
    watch = Watch(studio, hung_s=6.0, look_every_s=0.1)
    watch.start()
    try:
        wait_for(lambda: studio.takes.state(take.id) == "done")
    finally:
        watch.close()
        worker_lock.end(data_folder)


def test_a_worker_that_hangs_while_it_holds_the_database_can_be_stopped(
    data_folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """It would be waited for in vain: it is ended first."""
    studio, saved = studio_with(data_folder)
    take = take_service.call_take(studio, saved, start=False)
    holds = (
        "import sys, time\nfrom pathlib import Path\nimport sqlite3\n"
        "from cyclorama.shoot.run.worker_lock import shooting\n"
        "folder = Path(sys.argv[1])\nwith shooting(folder) as beat:\n    assert beat\n"
        "    held = sqlite3.connect(folder / 'studio.sqlite')\n    held.execute('BEGIN IMMEDIATE')\n"
        "    print('held', flush=True)\n    time.sleep(600)\n"
    )
    command = [sys.executable, "-c", holds, str(data_folder)]
    with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as hanging:
        try:
            studio.takes.update(take.id, state="running", worker_pid=hanging.pid)
            assert hanging.stdout is not None
            assert hanging.stdout.readline() == "held\n"
            hanging.send_signal(signal.SIGSTOP)
            monkeypatch.setattr(worker_lock, "SILENT_S", 0.5)
            wait_for(lambda: (there := who_shoots(data_folder)) is not None and there.hangs)
            take_service.stop(studio, take.id)
        finally:
            hanging.kill()
    stopped = studio.takes.get(take.id)
    assert (stopped.state, stopped.worker_pid) == ("stopped", None)
    assert who_shoots(data_folder) is None


class Faulty:
    """Makes frames, but some of them only after so many tries."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch, tries: dict[int, int], error: Exception):
        make = FrameMaker.make

        def faulty(maker: FrameMaker, number: int, *more: object) -> object:
            tries[number] = tries.get(number, 0) - 1
            if tries[number] >= 0:
                raise error
            return make(maker, number, *more)  # type: ignore[arg-type]

        monkeypatch.setattr(FrameMaker, "make", faulty)


def test_a_frame_that_fails_is_tried_again_then_set_aside(
    data_folder: Path, tracer: Tracer, monkeypatch: pytest.MonkeyPatch
) -> None:
    studio, saved = studio_with(data_folder)
    take = take_service.call_take(studio, saved, start=False)
    Faulty(monkeypatch, {2: 1, 5: 3}, ZeroDivisionError("of light"))
    assert shoot_take(studio, take.id, tracer) == "failed"
    left = studio.takes.get(take.id)
    assert sorted(left.frames) == [1, 2, 3, 4, 6]
    assert "frame 5" in left.message
    assert "ZeroDivisionError: of light" in left.message
    assert left.troubles.keys() == {5}
    studio.takes.forgive(take.id)
    assert shoot_take(studio, take.id, tracer) == "done"
    assert frames_to_shoot(studio.takes.get(take.id)) == []


def test_a_fault_in_every_frame_ends_the_take(
    data_folder: Path, tracer: Tracer, monkeypatch: pytest.MonkeyPatch
) -> None:
    studio, saved = studio_with(data_folder)
    take = take_service.call_take(studio, saved, start=False)
    tries = {n: 99 for n in take.numbers}
    Faulty(monkeypatch, tries, MemoryError())
    assert shoot_take(studio, take.id, tracer) == "failed"
    assert "more memory" in studio.takes.get(take.id).message
    assert tries[4] == 99  # three are proof enough


def test_a_fault_of_one_take_leaves_the_others_alone(data_folder: Path) -> None:
    studio, saved = studio_with(data_folder, frames=1)
    broken, gone, sound = (take_service.call_take(studio, saved, start=False) for _ in range(3))
    with sqlite3.connect(data_folder / "studio.sqlite") as connection:
        connection.execute("UPDATE take SET document = '{\"no\": 1}' WHERE id = ?", (broken.id,))
    studio.binned.put("take", gone.id)
    with pytest.raises(NotFoundError):
        studio.takes.add_trouble(gone.id, 1, "", 2)
    with Tracer(1) as tracer, shooting(data_folder) as beat:
        assert beat is not None
        for take in (broken, gone, sound):
            worker._shoot(studio, take.id, tracer, beat, None)
    assert studio.takes.state(sound.id) == "done"
    assert studio.takes.state(broken.id) == "failed"
    with pytest.raises(DamagedError):
        studio.takes.get(broken.id)
    take_service.remove(studio, broken.id)
    delete(studio, "take", broken.id)
    assert not broken.folder.exists()


def test_a_held_database_is_waited_for(data_folder: Path, tracer: Tracer, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(database, "BUSY_MS", 50)
    studio, saved = studio_with(data_folder, frames=3)
    take = take_service.call_take(studio, saved, start=False)
    holder = sqlite3.connect(data_folder / "studio.sqlite", isolation_level=None, check_same_thread=False)
    holding: list[threading.Timer] = []

    def hold_after_first(progress) -> None:  # type: ignore[no-untyped-def]
        if progress.done == 1 and not holding:
            holder.execute("BEGIN IMMEDIATE")
            holding.append(threading.Timer(1.5, holder.execute, ("COMMIT",)))
            holding[0].start()

    assert shoot_take(studio, take.id, tracer, hold_after_first) == "done"
    assert holding
    assert len(studio.takes.get(take.id).frames) == 3
    holding[0].join()
    holder.close()


def test_shooting_waits_for_room_and_goes_on(small_disk: Path) -> None:
    """Before the disk is full the take waits and says so; when there is room it is finished, by the same worker."""
    studio, saved = studio_with(small_disk, frames=6, samples=256)
    take = take_service.call_take(studio, saved)
    try:
        pid = first_frames(studio, take)
        ballast = fill(small_disk, reserve_bytes(saved.project) - 2_000_000)
        wait_for(lambda: "Waiting for room" in studio.takes.get(take.id).message)
        assert studio.takes.state(take.id) == "running"
        ballast.unlink()
        wait_for(lambda: studio.takes.state(take.id) == "done")
        assert studio.takes.get(take.id).message == ""
        assert frames_to_shoot(studio.takes.get(take.id)) == []
        assert worker_lock.who_shoots(small_disk).pid == pid  # type: ignore[union-attr]
    finally:
        worker_lock.end(small_disk)


def test_a_disk_that_is_full_at_once_loses_nothing(small_disk: Path, tracer: Tracer) -> None:
    """Somebody else fills the last byte while a frame is made: it is written when there is room."""
    studio, saved = studio_with(small_disk, frames=4)
    take = take_service.call_take(studio, saved, start=False)
    removals: list[threading.Timer] = []

    def fill_after_first(progress) -> None:  # type: ignore[no-untyped-def]
        if progress.done == 1 and progress.share > 0 and not removals:
            removals.append(threading.Timer(2.5, fill(small_disk, 0).unlink))
            removals[0].start()

    assert shoot_take(studio, take.id, tracer, fill_after_first) == "done"
    assert removals
    assert frames_to_shoot(studio.takes.get(take.id)) == []
    assert list(take.folder.rglob("*.part")) == []


@pytest.mark.parametrize("damage", [b"", b"short", None], ids=["emptied", "cut", "flipped"])
def test_every_file_of_a_frame_is_compared(data_folder: Path, tracer: Tracer, damage: bytes | None) -> None:
    values = {"shot/shoot/passes/wanted": ["depth", "clay"]}
    studio, saved = studio_with(data_folder, frames=4, **values)
    take = take_service.call_take(studio, saved, start=False)
    assert shoot_take(studio, take.id, tracer) == "done"
    take = studio.takes.get(take.id)
    files = [pass_path(take, "depth", 1), thumb_path(take.folder, 2), frame_path(take, 3), pass_path(take, "clay", 4)]
    before = [path.read_bytes() for path in files]
    for path, data in zip(files, before, strict=True):
        middle = len(data) // 2
        flipped = data[:middle] + bytes([data[middle] ^ 1]) + data[middle + 1 :]
        path.write_bytes(flipped if damage is None else damage)
    assert frames_to_shoot(take) == [1, 2, 3, 4]
    (take.folder / "beauty" / ".0123.part").write_bytes(b"left by a crash")
    assert shoot_take(studio, take.id, tracer) == "done"
    assert [path.read_bytes() for path in files] == before
    assert list(take.folder.rglob("*.part")) == []


def test_numbers_of_takes_never_come_again(data_folder: Path) -> None:
    studio, saved = studio_with(data_folder)
    names = [take_service.call_take(studio, saved, start=False).name for _ in range(2)]
    for take_id in studio.takes.ids():
        take_service.remove(studio, take_id)
    names.append(take_service.call_take(studio, saved, start=False).name)
    assert names == ["Orbit 1", "Orbit 2", "Orbit 3"]
