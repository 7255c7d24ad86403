"""A project taken along in one file, and what is refused of such files."""

import hashlib
import json
import tracemalloc
import zipfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from tests.conftest import png_of
from tests.core.geometry.test_intake import glb

from cyclorama.app.bundles import shown_from_master
from cyclorama.core.commands.place_model import with_item
from cyclorama.core.cut.document import Clip, Cut
from cyclorama.core.errors import IntakeError
from cyclorama.core.geometry.cache_keys import content_hash
from cyclorama.core.geometry.intake import take_in
from cyclorama.core.scene import Project, new_project
from cyclorama.store import FileSum, Studio
from cyclorama.store.archive import examine_box
from cyclorama.store.bundle import open_bundle, pack_bundle


def unneeded(folder: Path, project: Project, number: int) -> dict[str, FileSum]:
    raise AssertionError("No master came alone.")


@pytest.fixture
def packed(tmp_path: Path) -> tuple[Studio, str, Path]:
    """A project with a model and a cut with a picture, and its bundle."""
    studio = Studio(tmp_path / "here")
    intake = take_in({"ball.glb": glb()})
    studio.keep_intake(intake)
    made = with_item(new_project("Ball"), intake.item, intake.materials, presented=True)
    project = studio.projects.create(made).project.id
    picture = png_of(np.full((9, 16, 3), 90))
    key = content_hash(picture)
    studio.assets.put(key, picture)
    cut = Cut(clips=(Clip(id="a", picture=key, length=24), Clip(id="b", take_id="gone", length=24)))
    studio.cuts.edit(project, 0, lambda before: (cut, "Cut"))
    path = tmp_path / "ball.zip"
    pack_bundle(studio, project, path)
    return studio, project, path


def test_it_opens_elsewhere_to_the_same_bits(packed: tuple[Studio, str, Path], tmp_path: Path) -> None:
    studio, project, path = packed
    there = Studio(tmp_path / "there")
    opened = open_bundle(there, path, shown_from_master(there))
    assert opened.id == project
    assert there.projects.get(project).project == studio.projects.get(project).project
    assert there.cuts.get(project).cut == studio.cuts.get(project).cut
    for name in zipfile.ZipFile(path).namelist():
        if name.startswith("files/"):
            key = name.removeprefix("files/")
            assert there.assets.get(key) == studio.assets.get(key)
    assert there.measures(there.projects.get(project).project.subject) is not None
    assert opened.says == ("The cut shows 1 takes that are not here: shoot them, or put others in their place.",)
    again = tmp_path / "again.zip"
    pack_bundle(there, project, again)
    old, new = (json.loads(zipfile.ZipFile(p).read("manifest.json")) for p in (path, again))
    assert old == new
    beside = open_bundle(there, path, shown_from_master(there))
    assert beside.id != project
    assert "beside" in beside.says[0]


def changed(path: Path, target: Path, change: Callable[[dict[str, bytes]], None]) -> Path:
    with zipfile.ZipFile(path) as box:
        files = {n: box.read(n) for n in box.namelist()}
    change(files)
    with zipfile.ZipFile(target, "w") as box:
        for name, data in files.items():
            box.writestr(name, data)
    return target


def test_damaged_archives_are_refused_whole(packed: tuple[Studio, str, Path], tmp_path: Path) -> None:
    _, _, path = packed
    there = Studio(tmp_path / "there")

    def flip(files: dict[str, bytes]) -> None:
        name = next(n for n in files if n.startswith("files/"))
        files[name] = bytes([files[name][0] ^ 1]) + files[name][1:]

    def drop(files: dict[str, bytes]) -> None:
        del files[next(n for n in files if n.startswith("files/"))]

    def forget(files: dict[str, bytes]) -> None:
        manifest = json.loads(files["manifest.json"])
        manifest["files"] = {}
        files["manifest.json"] = json.dumps(manifest).encode()

    def invade(files: dict[str, bytes]) -> None:
        manifest = json.loads(files["manifest.json"])
        manifest["files"]["../../outside"] = {"sha256": hashlib.sha256(b"x").hexdigest(), "bytes": 1}
        files["manifest.json"], files["files/../../outside"] = json.dumps(manifest).encode(), b"x"

    def newer(files: dict[str, bytes]) -> None:
        files["manifest.json"] = files["manifest.json"].replace(b'"version": 1', b'"version": 3')

    for k, change in enumerate(
        (flip, drop, forget, invade, newer, lambda f: f.pop("project.json"), lambda f: f.clear())
    ):
        with pytest.raises(IntakeError):
            open_bundle(there, changed(path, tmp_path / f"bad-{k}.zip", change), shown_from_master(there))
    cut_short = tmp_path / "short.zip"
    cut_short.write_bytes(path.read_bytes()[: path.stat().st_size // 2])
    for bad in (cut_short, Path(__file__)):
        with pytest.raises(IntakeError):
            open_bundle(there, bad, shown_from_master(there))
    assert there.projects.ids() == []
    assert not [p for p in (tmp_path / "there" / "assets").rglob("*") if p.is_file()]
    assert not (tmp_path / "outside").exists()


def test_a_newer_one_is_called_newer(packed: tuple[Studio, str, Path], tmp_path: Path) -> None:
    def newer(files: dict[str, bytes]) -> None:
        files["manifest.json"] = files["manifest.json"].replace(b'"version": 1', b'"version": 3')

    with pytest.raises(IntakeError, match="made by a newer version of Cyclorama"):
        open_bundle(Studio(tmp_path / "there"), changed(packed[2], tmp_path / "new.zip", newer), unneeded)
    with pytest.raises(IntakeError, match="made by a newer version of Cyclorama"):
        examine_box(boxed(tmp_path, {"version": 2}, {}), tmp_path)
    with pytest.raises(IntakeError, match="of which version"):
        examine_box(boxed(tmp_path, {}, {}), tmp_path)


def boxed(folder: Path, version: dict[str, int], files: dict[str, bytes]) -> Path:
    """A zip for the stockroom."""
    path = folder / "box.zip"
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as box:
        box.writestr("cyclorama.json", json.dumps(version))
        for name, data in files.items():
            box.writestr(name, data)
    return path


def test_zip_bombs_take_neither_memory_nor_disk(packed: tuple[Studio, str, Path], tmp_path: Path) -> None:
    """Files that say what they are, and are made to fill: refused from their directory; in pieces where they may."""
    there = Studio(tmp_path / "there")
    size = 300 << 20
    key, digest = content_hash(bytes(size)), hashlib.sha256(bytes(size)).hexdigest()

    def fill(files: dict[str, bytes]) -> None:
        manifest = json.loads(files["manifest.json"])
        manifest["files"][key] = {"sha256": digest, "bytes": size}
        files["manifest.json"], files[f"files/{key}"] = json.dumps(manifest).encode(), bytes(size)

    with zipfile.ZipFile(packed[2]) as box:
        files = {n: box.read(n) for n in box.namelist()}
    fill(files)
    bomb = tmp_path / "bomb.zip"
    with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as box:
        for name, data in files.items():
            box.writestr(name, data)
    with pytest.raises(IntakeError, match="unpacks to more than it may"):
        open_bundle(there, bomb, unneeded)
    plain = tmp_path / "plain.zip"
    with zipfile.ZipFile(plain, "w") as box:
        for name, data in files.items():
            box.writestr(name, data)
    files.clear()
    tracemalloc.start()
    try:
        open_bundle(there, plain, unneeded)
        assert tracemalloc.get_traced_memory()[1] < 40 << 20
    finally:
        tracemalloc.stop()
    assert there.assets.path(key).stat().st_size == size
    assert list((there.folder / "incoming").iterdir()) == []
