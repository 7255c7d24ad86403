"""Tidying up removes what nothing needs, and nothing else."""

import os
from datetime import date, timedelta
from pathlib import Path

import pytest
from tests.conftest import edited

from cyclorama.core.geometry.cache_keys import content_hash
from cyclorama.core.scene import Project, new_project
from cyclorama.store import Studio, open_studio
from cyclorama.store.backup import back_up, restore
from cyclorama.store.database import DATABASE
from cyclorama.store.garbage import GarbageDoubt, collect_garbage, keys_in
from cyclorama.store.opening import OpenError


@pytest.fixture
def studio(data_folder: Path) -> Studio:
    return Studio(data_folder)


def kept(studio: Studio, *contents: bytes) -> list[str]:
    keys = [content_hash(c) for c in contents]
    studio.assets.put_all(dict(zip(keys, contents, strict=True)))
    return keys


def lit_by(asset: str):  # type: ignore[no-untyped-def]
    def change(project: Project) -> Project:
        return edited(project, look__environment__asset=asset)

    return change


def test_undo_redo_takes_and_damaged_documents_keep_their_files(studio: Studio) -> None:
    now, undone, redone, taken, damaged, lost = kept(studio, *(bytes([i]) * 9 for i in range(6)))
    studio.assets.put(f"{now}.measures", b"derived")
    studio.assets.put(f"{lost}.measures", b"derived")
    project = studio.projects.create(new_project("A")).project
    for version, asset in enumerate((taken, undone, now, redone), 1):
        saved = studio.projects.edit(project.id, version, "Light", lit_by(asset))
        if asset == taken:
            studio.takes.call("take-1", "Orbit 1", saved.project, 2, None)
    studio.projects.step(project.id, 5, -1)
    other = studio.projects.create(new_project("B")).project.id
    with studio.projects._sessions.begin() as session:
        session.connection().exec_driver_sql(
            "UPDATE history SET document = ?, patch = 0 WHERE project_id = ?", (f'{{"asset":"{damaged}"', other)
        )
    (studio.folder / "posters").mkdir()
    old, new = (studio.folder / "posters" / f"{project.id}.{v}.jpg" for v in (1, 6))
    for poster in (old, new):
        poster.write_bytes(b"jpeg")
    frames = studio.folder / "takes" / "without-record" / "beauty"
    frames.mkdir(parents=True)
    (frames / "a.0001.png").write_bytes(b"a night's work")
    part = studio.assets.path(now).with_name(".0123.part")
    part.write_bytes(b"half")
    incoming = studio.folder / "incoming" / "x"
    incoming.mkdir(parents=True)
    (incoming / "0").write_bytes(b"left by a crash")

    assert collect_garbage(studio).files == 0  # all of it is younger than a day
    tidied = collect_garbage(studio, rest_s=-1.0)
    assert tidied.files == 5
    assert all(studio.assets.has(k) for k in (now, undone, redone, taken, damaged, f"{now}.measures"))
    assert not any(studio.assets.has(k) for k in (lost, f"{lost}.measures"))
    assert (old.exists(), new.exists(), part.exists(), incoming.exists()) == (False, True, False, False)
    assert (frames / "a.0001.png").exists()
    assert collect_garbage(studio, rest_s=-1.0).files == 0


def test_files_of_a_removed_project_are_free(studio: Studio) -> None:
    (asset,) = kept(studio, b"model")
    studio.projects.create(new_project("Other"))
    project = studio.projects.create(new_project("A")).project
    studio.projects.edit(project.id, 1, "Light", lit_by(asset))
    assert studio.assets.disk_bytes(keys_in(studio.projects.document(project.id))) == 5
    studio.binned.put("project", project.id)
    assert collect_garbage(studio, rest_s=-1.0).bytes == 0  # it may come back
    studio.binned.delete("project", project.id)
    assert collect_garbage(studio, rest_s=-1.0).bytes == 5


def test_files_brought_in_again_are_not_old(studio: Studio) -> None:
    """A file nobody needed is needed again in the moment it is collected: putting it says so."""
    studio.projects.create(new_project("A"))
    (asset,) = kept(studio, b"model")
    os.utime(studio.assets.path(asset), (0, 0))
    kept(studio, b"model")
    assert collect_garbage(studio).files == 0
    os.utime(studio.assets.path(asset), (0, 0))
    assert collect_garbage(studio).files == 1


def test_without_its_database_a_studio_does_not_begin_anew(studio: Studio) -> None:
    (asset,) = kept(studio, b"model")
    old = studio.assets.path(asset)
    os.utime(old, (0, 0))
    studio.close()
    (studio.folder / DATABASE).unlink()
    with pytest.raises(OpenError, match="missing or empty, but assets/ beside it hold files"):
        open_studio(studio.folder)
    assert not (studio.folder / DATABASE).exists()
    new = Studio(studio.folder)  # however it came to be
    with pytest.raises(GarbageDoubt):
        collect_garbage(new)
    assert old.exists()


def test_files_of_daily_copies_stay(studio: Studio) -> None:
    """A model came in after the last daily copy, then somebody went back to that copy; and the other way round."""
    early, late = kept(studio, b"early", b"late")
    for asset in (early, late):
        os.utime(studio.assets.path(asset), (0, 0))
    project = studio.projects.create(edited(new_project("A"), look__environment__asset=early)).project.id
    back_up(studio.folder, date(2026, 3, 1))
    studio.binned.put("project", project)
    studio.binned.delete("project", project)
    studio.projects.create(edited(new_project("B"), look__environment__asset=late))
    assert collect_garbage(studio).files == 0  # the copy needs the early one
    studio.close()
    restored = restore(studio.folder)
    assert restored.notes == ("‘B’ is not in it.",)
    again = open_studio(studio.folder)
    assert [p.name for p in again.projects.listed()] == ["A"]
    assert collect_garbage(again).files == 0  # the database it replaced needs the late one
    assert restored.replaced is not None
    restored.replaced.write_bytes(b"SQLite format 3\0" + bytes(4000))
    with pytest.raises(GarbageDoubt, match="cannot be read"):
        collect_garbage(again)
    restored.replaced.unlink()
    assert collect_garbage(again).files == 1


def test_the_bin_gives_back_and_is_emptied_after_thirty_days(studio: Studio) -> None:
    (asset,) = kept(studio, b"model")
    os.utime(studio.assets.path(asset), (0, 0))
    project = studio.projects.create(new_project("A")).project.id
    collected = collect_garbage(studio)
    assert (collected.files, collected.bytes) == (1, 5)
    assert not studio.assets.has(asset)
    (day,) = collected.bin.days()
    assert (day.files, day.bytes) == (1, 5)
    studio.projects.edit(project, 1, "Light", lit_by(asset))  # a document that was kept elsewhere comes back
    assert collect_garbage(studio).put_back == 1
    assert studio.assets.get(asset) == b"model"
    kept(studio, b"other")
    os.utime(studio.assets.path(content_hash(b"other")), (0, 0))
    collect_garbage(studio)
    assert collected.bin.empty(day.day + timedelta(days=29)) == (0, 0)
    assert collected.bin.empty(day.day + timedelta(days=30)) == (1, 5)
    assert list(collected.bin.folder.rglob("*")) == []
