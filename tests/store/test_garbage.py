"""Tidying up removes what nothing needs, and nothing else."""

import os
from pathlib import Path

import pytest
from tests.conftest import edited

from cyclorama.core.geometry.kept import content_hash
from cyclorama.core.scene import Project, new_project
from cyclorama.store import Studio
from cyclorama.store.garbage import collect_garbage, keys_in


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


def test_what_a_removed_project_used_is_free(studio: Studio) -> None:
    (asset,) = kept(studio, b"model")
    project = studio.projects.create(new_project("A")).project
    studio.projects.edit(project.id, 1, "Light", lit_by(asset))
    assert studio.assets.disk_bytes(keys_in(studio.projects.document(project.id))) == 5
    studio.projects.remove(project.id)
    assert collect_garbage(studio, rest_s=-1.0).bytes == 5


def test_what_is_brought_in_again_is_not_old(studio: Studio) -> None:
    """A file nobody needed is needed again in the moment it is tidied: putting it says so."""
    (asset,) = kept(studio, b"model")
    os.utime(studio.assets.path(asset), (0, 0))
    kept(studio, b"model")
    assert collect_garbage(studio).files == 0
    os.utime(studio.assets.path(asset), (0, 0))
    assert collect_garbage(studio).files == 1
