"""Starting the program: whatever is wrong is one sentence that says what to do."""

import os
import re
import signal
import socket
import sqlite3
import subprocess
import sys
import urllib.request
from datetime import date, timedelta
from pathlib import Path

import pytest

from cyclorama.core.errors import CycloramaError
from cyclorama.core.scene import new_project
from cyclorama.store import Studio, open_studio
from cyclorama.store.backup import KEPT, back_up, latest_backup, restore

COMMAND = [sys.executable, "-m", "cyclorama"]


def run(*arguments: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run([*COMMAND, *arguments], capture_output=True, text=True, timeout=60)


def studio_in(folder: Path, name: str = "Kept") -> Path:
    """A studio with one project, closed; its database."""
    studio = Studio(folder)
    studio.projects.create(new_project(name))
    studio.close()
    return folder / "studio.sqlite"


def refusal(folder: Path) -> str:
    with pytest.raises(CycloramaError) as error:
        open_studio(folder)
    return error.value.sentence


def test_the_folder_is_a_file(tmp_path: Path) -> None:
    path = tmp_path / "file"
    path.touch()
    assert "is a file" in refusal(path)
    told = run("run", "--no-open", "--data", str(path))
    assert told.returncode == 1
    assert told.stderr.count("\n") == 1
    assert "is a file; the studio needs a folder" in told.stderr


def test_the_folder_cannot_be_written() -> None:
    assert "cannot be written to" in refusal(Path("/proc/studio"))


@pytest.mark.parametrize(
    "content", [b"not a database at all", b"SQLite format 3\0" + bytes(200), b"SQLite format 3\0" + os.urandom(8192)]
)
def test_a_damaged_database_and_the_way_back(tmp_path: Path, content: bytes) -> None:
    path = studio_in(tmp_path)
    back_up(tmp_path, date.today())
    path.write_bytes(content)
    sentence = refusal(tmp_path)
    assert "is damaged" in sentence
    assert f"./cyc restore --data {tmp_path}" in sentence
    told = run("restore", "--data", str(tmp_path))
    assert told.returncode == 0
    assert [p.name for p in Studio(tmp_path).projects.listed()] == ["Kept"]
    (aside,) = tmp_path.glob("studio.sqlite.before-*")
    assert aside.read_bytes() == content


def test_a_page_torn_out_of_the_middle(tmp_path: Path) -> None:
    path = studio_in(tmp_path)
    data = bytearray(path.read_bytes())
    data[4096 : 5 * 4096] = bytes(4 * 4096)
    path.write_bytes(data)
    assert "is damaged, and there is no copy" in refusal(tmp_path)


def test_an_emptied_database_is_not_taken_for_a_new_one(tmp_path: Path) -> None:
    path = studio_in(tmp_path)
    path.write_bytes(b"")
    back_up_there = tmp_path / "backups" / "studio-2026-01-02.sqlite"
    new = open_studio(tmp_path)
    assert new.projects.ids() == []  # without a copy it is one
    new.close()
    back_up_there.parent.mkdir()
    back_up_there.write_bytes(path.read_bytes())
    path.write_bytes(b"")
    assert "copy of 2026-01-02" in refusal(tmp_path)


def test_databases_of_others_and_of_later_versions(tmp_path: Path) -> None:
    path = tmp_path / "studio.sqlite"
    with sqlite3.connect(path) as connection:
        connection.execute("CREATE TABLE songs (title TEXT)")
    connection.close()
    assert "of another program" in refusal(tmp_path)
    path.unlink()
    studio_in(tmp_path)
    with sqlite3.connect(path) as connection:
        connection.execute("UPDATE alembic_version SET version_num = '9999'")
    connection.close()
    assert "newer version of Cyclorama" in refusal(tmp_path)


def test_a_copy_a_day_and_the_oldest_go(tmp_path: Path) -> None:
    studio_in(tmp_path)
    day = date(2026, 3, 1)
    copies = [back_up(tmp_path, day + timedelta(days=i)) for i in range(KEPT + 3)]
    assert [c.exists() for c in copies] == [False] * 3 + [True] * KEPT
    studio_in(tmp_path, "Later")
    assert back_up(tmp_path, day + timedelta(days=KEPT + 2)) == latest_backup(tmp_path) == copies[-1]
    restore(tmp_path)
    assert [p.name for p in Studio(tmp_path).projects.listed()] == ["Kept"]


def test_a_damaged_database_is_not_copied_over_good_ones(tmp_path: Path) -> None:
    path = studio_in(tmp_path)
    good = back_up(tmp_path, date(2026, 3, 1))
    data = bytearray(path.read_bytes())
    data[4096 : 8 * 4096] = os.urandom(7 * 4096)
    path.write_bytes(data)
    with pytest.raises(sqlite3.DatabaseError):
        back_up(tmp_path, date(2026, 3, 2))
    assert latest_backup(tmp_path) == good
    assert list(tmp_path.rglob("*.part")) == []


@pytest.mark.parametrize(
    ("arguments", "sentence"), [(("--port", "80000"), "65535"), (("--host", "no.such.host.invalid"), "no address")]
)
def test_ports_and_hosts_that_are_none(tmp_path: Path, arguments: tuple[str, ...], sentence: str) -> None:
    told = run("run", "--no-open", "--data", str(tmp_path / "data"), *arguments)
    assert told.returncode != 0
    assert sentence in " ".join(told.stderr.split())
    assert "Traceback" not in told.stderr


@pytest.mark.parametrize("host", ["127.0.0.1", "0.0.0.0"])
def test_the_address_that_is_printed_is_the_one(tmp_path: Path, host: str) -> None:
    """Also with a port that is taken, and with none; beyond this machine only with the key."""
    taken = socket.create_server(("127.0.0.1", 0))
    port = 0 if host == "0.0.0.0" else taken.getsockname()[1]
    command = [*COMMAND, "run", "--no-open", "--data", str(tmp_path), "--host", host, "--port", str(port)]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True, env={**os.environ, "PYTHONUNBUFFERED": "1"})
    try:
        assert process.stdout is not None
        line = process.stdout.readline()
        address = re.search(r"http://\S+", line)[0]  # type: ignore[index]
        opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor())
        assert b"Reel wall" in opener.open(address, timeout=30).read()
        assert ("key=" in address) == (host != "127.0.0.1")
        if "key=" in address:
            with pytest.raises(urllib.error.HTTPError, match="403"):
                urllib.request.urlopen(address.split("?")[0], timeout=30)
            assert "open to the network" in process.stdout.readline()
    finally:
        process.send_signal(signal.SIGKILL)
        process.wait()
        taken.close()
