"""Bad input at every door, from outside the process: an exit code, a sentence, nothing half written."""

import contextlib
import json
import os
import sqlite3
import subprocess
import sys
import urllib.error
import urllib.request
from collections.abc import Iterator
from datetime import date
from pathlib import Path

import pytest
from tests.core.geometry.test_intake import glb

from cyclorama.core.scene import new_project
from cyclorama.store import Studio
from cyclorama.store.backup import back_up

COMMAND = [sys.executable, "-m", "cyclorama"]
SMALL = ("--seconds", "0.05", "--size", "32x32", "--quality", "draft", "--still", "--json")
TINY_BYTES = 6 << 20


def run(*arguments: object) -> subprocess.CompletedProcess[str]:
    told = subprocess.run([*COMMAND, *map(str, arguments)], capture_output=True, text=True, timeout=600)
    assert "Traceback" not in told.stdout + told.stderr, told.stderr
    return told


def words(told: subprocess.CompletedProcess[str]) -> str:
    return " ".join(told.stderr.split())


def files(folder: Path) -> dict[str, bytes]:
    """Everything in a folder but the logs that SQLite keeps while a database is open."""
    found = (p for p in sorted(folder.rglob("*")) if p.is_file() and not p.name.endswith(("-wal", "-shm", ".lock")))
    return {str(p.relative_to(folder)): p.read_bytes() for p in found}


@pytest.fixture
def newer(tmp_path: Path) -> Path:
    """A data folder that a later version of the program wrote."""
    folder = tmp_path / "newer"
    studio = Studio(folder)
    studio.projects.create(new_project("Kept"))
    studio.close()
    with contextlib.closing(sqlite3.connect(folder / "studio.sqlite")) as connection:
        connection.execute("UPDATE alembic_version SET version_num = '9999'")
        connection.commit()
    return folder


@pytest.mark.parametrize(
    "arguments",
    [
        ("run", "--no-open", "--data"),
        ("shoot", "Kept", "--data"),
        ("cut", "Kept", "--data"),
        ("bundle", "Kept", "kept.zip", "--data"),
        ("turn", "ball.glb", "-o", "ball.mp4", "--data"),
        ("tidy", "--data"),
    ],
)
def test_a_newer_data_folder_is_left_alone(newer: Path, arguments: tuple[str, ...]) -> None:
    before = files(newer)
    told = subprocess.run([*COMMAND, *arguments, str(newer)], capture_output=True, text=True, cwd=newer.parent)
    assert (told.returncode, "Traceback" in told.stderr) == (1, False)
    assert "was written by a newer version of Cyclorama. Update the program" in words(told)
    assert files(newer) == before
    assert [path.name for path in newer.parent.iterdir()] == ["newer"]


@pytest.mark.parametrize(
    "name", ["$(touch owned).glb", "-o.glb", "a\nb.glb", "[red]ball[ red].glb", "ø ü 模.glb", "x" * 240 + ".glb"]
)
def test_hostile_names_of_models_are_names(tmp_path: Path, name: str) -> None:
    """A broken model of that name: the sentence says it, as it is, and only the studio was made."""
    (tmp_path / name).write_bytes(b"glTF, or is it")
    told = run("turn", "-o", tmp_path / "clip.mp4", *SMALL, "--data", tmp_path / "studio", "--", tmp_path / name)
    assert told.returncode == 1
    assert json.loads(told.stdout)["error"]
    assert sorted(path.name for path in tmp_path.iterdir()) == sorted([name, "studio"])
    studio = Studio(tmp_path / "studio")
    assert studio.projects.ids() == []
    studio.close()


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (("shoot", "Nobody"), "Nobody"),
        (("cut", "../../etc"), "../../etc"),
        (("deliver", "no-take"), "There is no such take"),
        (("open", "nothing.zip"), "nothing.zip"),
        (("bundle", "Nobody", "out.zip"), "Nobody"),
        (("restore",), "no copy"),
        (("worker", "http://elsewhere"), "tcp://"),
    ],
)
def test_what_is_not_there_is_told(tmp_path: Path, arguments: tuple[str, ...], says: str) -> None:
    Studio(tmp_path / "data").close()
    before = files(tmp_path)
    data = () if arguments[0] == "worker" else ("--data", tmp_path / "data")
    told = run(*arguments, *data)
    assert told.returncode != 0
    assert says in words(told)
    assert files(tmp_path) == before


@pytest.fixture
def open_studio_at(tmp_path: Path) -> Iterator[tuple[str, Path]]:
    """Address and data folder of a studio that is open."""
    with served(tmp_path / "data") as studio:
        yield studio


@contextlib.contextmanager
def served(folder: Path) -> Iterator[tuple[str, Path]]:
    command = [*COMMAND, "run", "--no-open", "--port", "0", "--data", str(folder)]
    with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True) as server:
        assert server.stdout is not None
        line = server.stdout.readline()
        assert "is open at" in line, line
        try:
            yield line.split(" is open at ")[1].split()[0], folder
        finally:
            server.terminate()
            server.wait(timeout=60)


def test_a_studio_that_is_open_is_not_restored(open_studio_at: tuple[str, Path]) -> None:
    address, folder = open_studio_at
    created = urllib.request.Request(f"{address}api/projects", b"{}", {"content-type": "application/json"})
    with urllib.request.urlopen(created, timeout=60):
        back_up(folder, date(2026, 1, 2))
    told = run("restore", "--data", folder)
    assert told.returncode == 1
    assert "is open, or a take is being shot. Close it" in words(told)
    with urllib.request.urlopen(f"{address}api/projects", timeout=60) as answer:
        assert [one["name"] for one in json.load(answer)] == ["Untitled"]


@pytest.fixture
def full_disk(tmp_path: Path) -> Iterator[Path]:
    """A file system of its own with a little room."""
    place = tmp_path / "small"
    place.mkdir()
    mounted = subprocess.run(
        ["mount", "-t", "tmpfs", "-o", f"size={TINY_BYTES}", "none", str(place)], capture_output=True
    )
    if mounted.returncode:
        pytest.skip("mounting a file system is not allowed here")
    yield place
    subprocess.run(["umount", "-l", str(place)], check=True)


def test_no_room_is_told_and_leaves_the_studio_whole(full_disk: Path, tmp_path: Path) -> None:
    (tmp_path / "ball.glb").write_bytes(glb())
    with served(full_disk / "data") as (address, folder):
        (full_disk / "filler").write_bytes(bytes(max(0, os.statvfs(full_disk).f_bavail * 4096 - (64 << 10))))
        boundary = b"----part"
        body = b"--%b\r\nContent-Disposition: form-data; name=files; filename=a.glb\r\n\r\n%b\r\n--%b--\r\n" % (
            boundary,
            bytes(1 << 20),
            boundary,
        )
        kind = {"content-type": f"multipart/form-data; boundary={boundary.decode()}"}
        with pytest.raises(urllib.error.HTTPError) as refused:
            urllib.request.urlopen(urllib.request.Request(f"{address}api/intakes", body, kind), timeout=60)
        assert refused.value.code == 507
        assert "room" in json.load(refused.value)["error"]
        assert list(folder.glob("incoming/*")) == []
        with urllib.request.urlopen(f"{address}api/projects", timeout=60) as answer:
            assert json.load(answer) == []
    told = run("turn", tmp_path / "ball.glb", "-o", tmp_path / "ball.png", *SMALL, "--data", full_disk / "data")
    assert told.returncode == 1
    assert "room" in words(told)
    assert not (tmp_path / "ball.png").exists()
    (full_disk / "filler").unlink()
    studio = Studio(full_disk / "data")
    assert studio.projects.ids() == []
    studio.close()
