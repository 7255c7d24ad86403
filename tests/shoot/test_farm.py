"""Shooting on a cluster: machines and a scheduler as processes of their own, which come, go and die."""

import hashlib
import itertools
import random
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from queue import SimpleQueue

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.clusters import Cluster
from tests.conftest import edited
from tests.shoot.test_shoot import studio_with, wait_for

from cyclorama.app import takes as take_service
from cyclorama.core.errors import ShootError
from cyclorama.core.geometry.cache_keys import content_hash
from cyclorama.core.render.film.row_bands import Band
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.scene import ShootSettings
from cyclorama.shoot.farm import farm
from cyclorama.shoot.farm.farm import Farm
from cyclorama.shoot.farm.machine import check_address, hold_to
from cyclorama.shoot.farm.runs import LONGEST, Runs
from cyclorama.shoot.farm.worker_status import crew_of
from cyclorama.shoot.farm.workshop import FarmJob, FilePart, Workshop
from cyclorama.shoot.frames.cache import program
from cyclorama.shoot.run.take import TakeProgress, shoot_take
from cyclorama.store import Studio, TakeRecord


@pytest.fixture
def cluster() -> Iterator[Cluster]:
    cluster = Cluster()
    yield cluster
    cluster.close()


CALM = {
    "shot/shoot/denoise": True,
    "shot/shoot/denoise_neighbours": True,
    "shot/shoot/passes/wanted": ["lights", "depth"],
    "look/lights": [{"id": "key", "name": "Key"}],
}


def shot(folder: Path, tracer: Tracer, address: str | None = None, **values: object) -> TakeRecord:
    """A take of a new studio, shot here or on a cluster."""
    studio, saved = studio_with(folder, **values)  # type: ignore[arg-type]
    take = take_service.call_take(studio, saved, start=False)
    farm = Farm(address, studio) if address else None
    assert shoot_take(studio, take.id, tracer, farm=farm) == "done"
    if farm:
        farm.close()
    return studio.takes.get(take.id)


def files(take: TakeRecord) -> dict[str, bytes]:
    """All that was shot, by name."""
    return {str(p.relative_to(take.folder)): p.read_bytes() for p in take.folder.glob("*/*") if p.is_file()}


def test_frames_are_the_same_wherever_they_are_made(tmp_path: Path, tracer: Tracer, cluster: Cluster) -> None:
    here = shot(tmp_path / "here", tracer, samples=4, frames=12, **CALM)
    for machines in (1, 2):
        cluster.add()
        cluster.joined()  # all shall have their share
        far = shot(tmp_path / f"{machines}", tracer, cluster.address, samples=4, frames=12, **CALM)
        assert files(far) == files(here)
        assert {f.machine for f in far.frames.values()} == {f"lamp-{k}" for k in range(1, machines + 1)}
        assert all(f.seconds > 0 for f in far.frames.values())


def test_takes_that_are_shot_beside_each_other_keep_to_themselves(
    tmp_path: Path, tracer: Tracer, cluster: Cluster
) -> None:
    cluster.add()
    studio, saved = studio_with(tmp_path / "far", samples=4, frames=3, **CALM)
    takes = [
        take_service.call_take(studio, replace(saved, project=edited(saved.project, look__tone__ev100=ev)), start=False)
        for ev in (9.0, 8.0)
    ]
    farm = Farm(cluster.address, studio)
    threads = [threading.Thread(target=shoot_take, args=(studio, t.id, tracer), kwargs={"farm": farm}) for t in takes]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    farm.close()
    for take, ev in zip(takes, (9.0, 8.0), strict=True):
        here = shot(tmp_path / f"here {ev}", tracer, samples=4, frames=3, **CALM, **{"look/tone/ev100": ev})
        assert files(studio.takes.get(take.id)) == files(here)


@pytest.mark.parametrize(
    "kind",
    [
        {"samples": 4, "shot/shoot/passes/wanted": ["lights", "objects"]},
        {"shot/shoot/quality": "draft", "shot/shoot/denoise": True},
    ],
)
def test_a_frame_is_shared_out_among_machines_that_have_nothing_else(
    tmp_path: Path, tracer: Tracer, cluster: Cluster, monkeypatch: pytest.MonkeyPatch, kind: dict[str, object]
) -> None:
    values = {"frames": 2, "shot/shoot/height": 64, "look/lights": [{"id": "key", "name": "Key"}]} | kind
    here = shot(tmp_path / "here", tracer, **values)
    for _ in range(2):
        cluster.add()
    cluster.joined()
    asked: list[int] = []

    def shared(shoot: ShootSettings, most: int) -> list[Band]:
        asked.append(most)
        return [Band(0, 16), Band(16, 48), Band(48, 64)]

    monkeypatch.setattr(farm, "bands_of", shared)
    far = shot(tmp_path / "far", tracer, cluster.address, **values)
    assert files(far) == files(here)
    assert asked == [1, 1]  # two machines, two frames


def test_passes_that_come_later_are_made_on_machines_too(
    tmp_path: Path, tracer: Tracer, cluster: Cluster, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(take_service, "ensure_worker", lambda studio: None)
    names = ["depth", "occlusion"]
    at_once = shot(tmp_path / "at once", tracer, samples=2, frames=3, **{"shot/shoot/passes/wanted": names})
    take = shot(tmp_path / "later", tracer, samples=2, frames=3)
    cluster.add()
    studio = Studio(tmp_path / "later")
    take_service.add_passes(studio, take.id, ("depth", "occlusion"))
    far = Farm(cluster.address, studio)
    monkeypatch.delattr("cyclorama.shoot.run.take.LocalExecutor")  # nothing is made here
    assert shoot_take(studio, take.id, tracer, farm=far) == "done"
    far.close()
    assert files(studio.takes.get(take.id)) == files(at_once)


def test_an_overview_is_made_on_machines_too(tmp_path: Path, tracer: Tracer, cluster: Cluster) -> None:
    cluster.add()
    here = shot(tmp_path / "here", tracer, samples=4, frames=10, **CALM)
    studio, saved = studio_with(tmp_path / "far", samples=4, frames=10, **CALM, **{"shot/shoot/overview": True})
    take, drafts = take_service.call_take(studio, saved, start=False), set[int]()
    farm = Farm(cluster.address, studio)

    def look(_: TakeProgress) -> None:
        drafts.update(studio.takes.get(take.id).pending)

    assert shoot_take(studio, take.id, tracer, look, farm=farm) == "done"
    farm.close()
    assert drafts == {1, 9}
    assert files(studio.takes.get(take.id)) == files(here)


def test_machines_that_die_lose_no_frame(tmp_path: Path, tracer: Tracer, cluster: Cluster) -> None:
    """The scheduler is killed while almost everything is to be shot, then one machine after the other."""
    here = shot(tmp_path / "here", tracer, samples=24, frames=16, **CALM)
    for _ in range(2):
        cluster.add()
    studio, saved = studio_with(tmp_path / "far", samples=24, frames=16, **CALM)
    take = take_service.call_take(studio, saved, start=False)
    farm = Farm(cluster.address, studio)
    said: set[str] = set()
    ended = threading.Event()

    def mischief() -> None:
        wait_for(lambda: len(studio.takes.get(take.id).frames) >= 1)
        cluster.kill(cluster.scheduler)
        wait_for(lambda: "does not answer" in studio.takes.get(take.id).message or ended.is_set())
        said.add(studio.takes.get(take.id).message)
        cluster.schedule()
        cluster.add()
        chance = random.Random(16)
        for at in (3, 6, 9):
            wait_for(lambda at=at: len(studio.takes.get(take.id).frames) >= at)  # type: ignore[misc]
            time.sleep(chance.uniform(0, 0.5))
            cluster.kill(cluster.machines.pop(chance.randrange(len(cluster.machines))))
            cluster.add()

    thread = threading.Thread(target=mischief)
    thread.start()
    assert shoot_take(studio, take.id, tracer, farm=farm) == "done"
    ended.set()
    thread.join()
    farm.close()
    far = studio.takes.get(take.id)
    assert files(far) == files(here)
    assert far.troubles == {}
    assert said == {f"The cluster at {cluster.address} does not answer; shooting goes on when it is back."}
    assert far.message == ""


def test_pause_frees_the_machines(tmp_path: Path, tracer: Tracer, cluster: Cluster) -> None:
    """Who pauses does not wait for frames to end, and nor do machines: one that takes minutes is left at once."""
    cluster.add()
    studio, saved = studio_with(
        tmp_path, samples=16_000, frames=4, **{"shot/shoot/width": 512, "shot/shoot/height": 512}
    )
    take = take_service.call_take(studio, saved, start=False)
    farm = Farm(cluster.address, studio)

    def pause_in_the_middle(progress: TakeProgress) -> None:
        crew = crew_of(tmp_path)
        if crew is not None and any(hand.share > 0 for hand in crew.hands):
            take_service.pause(studio, take.id)

    assert shoot_take(studio, take.id, tracer, pause_in_the_middle, farm=farm) == "paused"
    quick = edited(saved.project, shot__shoot__samples=1)
    again = take_service.call_take(studio, replace(saved, project=quick), start=False)
    assert shoot_take(studio, again.id, tracer, farm=farm) == "done"  # its machine has nothing else to do
    farm.close()
    assert crew_of(tmp_path) is None


def test_unanswered_requests_are_repeated(tmp_path: Path) -> None:
    data, asked = b"a file", []

    def ask(topic: str, name: str) -> None:
        asked.append((topic, name))
        if len(asked) == 2:
            workshop.give(name, FilePart(0, data, len(data), hashlib.sha256(data).hexdigest()))

    workshop = Workshop(tmp_path / "kept", ask, ask_again_s=0.05)
    assert workshop.get("topic", content_hash(data)) == data
    assert asked == [("topic", content_hash(data))] * 2


def test_files_come_whole_or_again(tmp_path: Path) -> None:
    """Parts that are lost, doubled or spoilt on their way; a file that is gone; another program."""
    data = bytes(range(256)) * 8
    name, sha256 = content_hash(data), hashlib.sha256(data).hexdigest()
    parts = [FilePart(at, data[at : at + 512], len(data), sha256) for at in range(0, len(data), 512)]
    asked: SimpleQueue[str] = SimpleQueue()
    workshop = Workshop(tmp_path / "kept", lambda topic, name: asked.put(name))

    def give() -> None:
        assert asked.get(timeout=30) == name
        for part in (parts[0], parts[1], parts[0], parts[1], parts[3], parts[2]):  # begun anew; one too early
            workshop.give(name, part)
        workshop.give(name, replace(parts[3], data=b"x" * 512))
        assert asked.get(timeout=30) == name  # spoilt: asked for again
        for part in parts:
            workshop.give(name, part)
        workshop.give(asked.get(timeout=30), "It is gone.")

    thread = threading.Thread(target=give)
    thread.start()
    assert workshop.get("topic", name) == data
    assert workshop.get("topic", name) == data
    assert asked.empty()
    with pytest.raises(ShootError, match="It is gone"):
        workshop.get("topic", content_hash(b"other"))
    thread.join()
    with pytest.raises(ShootError, match="another version"):
        workshop.maker(FarmJob("topic", "document", 1, 2, 1, program().hex()[::-1]))


@given(st.integers(1, 400), st.integers(1, 120))
def test_runs_hold_every_frame_once_and_end_small(count: int, machines: int) -> None:
    runs = Runs(range(count // 2))
    runs.add(range(count // 3, count))
    given_out = []
    while len(runs):
        given_out.append(runs.next(machines))
    assert list(itertools.chain.from_iterable(given_out)) == list(range(count))
    assert max(map(len, given_out)) <= LONGEST
    assert all(len(run) == 1 for run in given_out[-machines:])


def test_addresses_are_checked() -> None:
    assert check_address("tcp://lamp-2:8786") == "tcp://lamp-2:8786"
    for wrong in ("lamp-2:8786", "tcp://lamp-2", "http://lamp-2:80", "", "tcp://lamp:port"):
        with pytest.raises(ShootError, match="not the address of a cluster"):
            check_address(wrong)


def test_a_machine_keeps_cores_for_others() -> None:
    program = (
        "from cyclorama.core.host.processes import cores\n"
        "from cyclorama.shoot.farm.machine import hold_to\nhold_to(1)\nprint(cores())"
    )
    assert subprocess.run([sys.executable, "-c", program], capture_output=True, text=True).stdout == "1\n"
    for wrong in (0, 4096):
        with pytest.raises(ShootError, match=f"{wrong} were asked for"):
            hold_to(wrong)
