"""The program as it is installed: a wheel and a source archive with all that it needs at run time."""

import json
import os
import subprocess
import sys
import tarfile
import time
import urllib.error
import urllib.request
import zipfile
from importlib.metadata import PathDistribution
from pathlib import Path

import pytest
from tests.clusters import free_port

from cyclorama import __version__

ROOT = Path(__file__).resolve().parents[1]
BUILD = "from setuptools import build_meta as b; b.build_wheel('{0}'); b.build_sdist('{0}')"
COMPILED = {".pyc", ".nbi", ".nbc"}


@pytest.fixture(scope="module")
def built(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Path]:
    """A wheel and a source archive, built of a copy, as whoever publishes them does."""
    folder = tmp_path_factory.mktemp("wheel")
    copy, target = folder / "source", folder / "dist"
    copy.mkdir()
    target.mkdir()
    for name in ("pyproject.toml", "MANIFEST.in", "README.md", "CHANGELOG.md", "constraints.txt", "cyc"):
        (copy / name).write_bytes((ROOT / name).read_bytes())
    for path in (ROOT / "src" / "cyclorama").rglob("*"):
        if path.is_file() and path.suffix not in COMPILED:
            (copy / path.relative_to(ROOT)).parent.mkdir(parents=True, exist_ok=True)
            (copy / path.relative_to(ROOT)).write_bytes(path.read_bytes())
    made = subprocess.run([sys.executable, "-c", BUILD.format(target)], cwd=copy, capture_output=True, text=True)
    assert made.returncode == 0, made.stderr[-2000:]
    (wheel,), (archive,) = target.glob("*.whl"), target.glob("*.tar.gz")
    return wheel, archive


def test_everything_that_the_program_needs_is_in_it(built: tuple[Path, Path]) -> None:
    source = ROOT / "src"
    needed = {
        str(path.relative_to(source))
        for path in (source / "cyclorama").rglob("*")
        if path.is_file() and path.suffix not in COMPILED and path.name != "lock"
    }
    wheel, archive = built
    with zipfile.ZipFile(wheel) as box:
        names = set(box.namelist())
    assert needed - names == set()
    assert not [name for name in names if Path(name).suffix in COMPILED]
    with tarfile.open(archive) as box:
        inside = {name.partition("/")[2] for name in box.getnames()}
    assert {f"src/{name}" for name in needed} - inside == set()
    assert {"constraints.txt", "cyc", "CHANGELOG.md"} <= inside


def test_it_runs_where_it_was_installed(built: tuple[Path, Path], tmp_path: Path) -> None:
    """Away from any checkout, with nothing but what the wheel holds; a folder with a space and other letters."""
    place = tmp_path / "Żółty place"
    with zipfile.ZipFile(built[0]) as box:
        box.extractall(place)
    (info,) = place.glob("*.dist-info")
    installed = PathDistribution(info)
    assert installed.version == __version__
    (entry,) = installed.entry_points
    assert (entry.name, entry.value) == ("cyclorama", "cyclorama.cli.main:app")
    run = f"import sys; from {entry.module} import {entry.attr}; sys.exit({entry.attr}())"
    alone = {key: value for key, value in os.environ.items() if key != "PYTHONPATH"} | {"PYTHONPATH": str(place)}
    where = [sys.executable, "-c", "import cyclorama; print(cyclorama.__file__)"]
    told = subprocess.run(where, cwd=tmp_path, env=alone, capture_output=True)
    assert str(place) in told.stdout.decode()
    address = f"http://127.0.0.1:{free_port()}"
    command = [sys.executable, "-c", run, "run", "--no-open", "--port", address.rpartition(":")[2], "--data"]
    studio = subprocess.Popen([*command, str(tmp_path / "studio")], cwd=tmp_path, env=alone)
    try:
        assert "Reel wall" in fetched(f"{address}/")
        made = urllib.request.Request(
            f"{address}/api/projects", b'{"name": "First"}', {"content-type": "application/json"}
        )
        key = json.loads(urllib.request.urlopen(made, timeout=60).read())["id"]
        for page in (f"/projects/{key}", f"/projects/{key}/cut", "/stock", "/shoots", "/guide", "/bin"):
            assert "<main" in fetched(address + page) or "<header" in fetched(address + page)
        for file in ("/static/css/app.css", "/static/js/studio/studio.js"):
            assert len(fetched(address + file)) > 1000
    finally:
        studio.terminate()  # not killed: it would leave those behind that compile for it
        studio.wait(timeout=60)


def fetched(address: str, patience_s: float = 120.0) -> str:
    until = time.monotonic() + patience_s
    while True:
        try:
            return urllib.request.urlopen(address, timeout=60).read().decode()
        except urllib.error.HTTPError:
            raise
        except OSError:  # it is still starting
            if time.monotonic() > until:
                raise
        time.sleep(0.1)
