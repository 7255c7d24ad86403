"""Nothing is lost: history, stale edits, whole files, migrations."""

import sqlite3
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
import sqlalchemy as sa
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext

from cyclorama.core.commands.values import SetValue, apply_set
from cyclorama.core.errors import ChangeError, NotFoundError, StaleError
from cyclorama.core.scene import new_project
from cyclorama.store import FileSum, FrameRecord, Studio
from cyclorama.store.assets import write_whole
from cyclorama.store.change_log import writer
from cyclorama.store.database import Base


def renamed(name: str):  # type: ignore[no-untyped-def]
    return lambda p: apply_set(p, SetValue(path="name", value=name))


@pytest.fixture
def studio(data_folder: Path) -> Studio:
    return Studio(data_folder)


def test_undo_and_redo_survive_reopening(studio: Studio) -> None:
    saved = studio.projects.create(new_project("A"))
    key = saved.project.id
    for i, name in enumerate(("B", "C", "D")):
        saved = studio.projects.edit(key, 1 + i, f"Name {name}", renamed(name))
    again = Studio(studio.folder).projects
    assert again.get(key).project.name == "D"
    assert again.step(key, 4, -1).project.name == "C"
    back = again.step(key, 5, -1)
    assert (back.project.name, back.undo, back.redo) == ("B", "Name B", "Name C")
    assert again.step(key, 6, 1).project.name == "C"
    branched = again.edit(key, 7, "Name E", renamed("E"))
    assert branched.redo is None
    with pytest.raises(ChangeError, match="nothing to redo"):
        again.step(key, 8, 1)


def test_undo_stops_at_the_beginning(studio: Studio) -> None:
    key = studio.projects.create(new_project("A")).project.id
    with pytest.raises(ChangeError, match="nothing to undo"):
        studio.projects.step(key, 1, -1)
    assert studio.projects.get(key).version == 1


def test_stale_and_failing_edits_change_nothing(studio: Studio) -> None:
    key = studio.projects.create(new_project("A")).project.id
    studio.projects.edit(key, 1, "Name B", renamed("B"))
    with pytest.raises(StaleError) as error:
        studio.projects.edit(key, 1, "Name C", renamed("C"))
    assert error.value.current == 2
    with pytest.raises(ChangeError):
        studio.projects.edit(key, 2, "Bad", renamed(""))
    assert (studio.projects.get(key).project.name, studio.projects.get(key).version) == ("B", 2)


def test_of_many_editors_at_once_each_version_has_one_winner(studio: Studio) -> None:
    key = studio.projects.create(new_project("A")).project.id

    def attempt(i: int) -> bool:
        try:
            studio.projects.edit(key, 1, "Race", renamed(f"N{i}"))
            return True
        except StaleError:
            return False

    with ThreadPoolExecutor(8) as pool:
        won = list(pool.map(attempt, range(16)))
    assert sum(won) == 1
    assert studio.projects.get(key).project.name == f"N{won.index(True)}"


def test_a_version_has_its_writer_from_the_moment_it_can_be_seen(studio: Studio) -> None:
    saved = studio.projects.create(new_project("Pot"))
    seen: list[str] = []

    def after_commit(_: sa.orm.Session) -> None:
        if not seen:
            seen.append("")  # what follows commits as well
            seen.append(studio.projects.edit(saved.project.id, saved.version, "Rename", renamed("Second")).project.name)

    sa.event.listen(sa.orm.Session, "after_commit", after_commit)
    window = writer.set("one")
    try:
        studio.projects.edit(saved.project.id, saved.version, "Rename", renamed("First"))
    finally:
        writer.reset(window)
        sa.event.remove(sa.orm.Session, "after_commit", after_commit)
    assert seen[1:] == ["Second"]


def test_missing_and_foreign_keys(studio: Studio) -> None:
    with pytest.raises(NotFoundError):
        studio.projects.get("nobody")
    for key in ("../../etc/passwd", "", "a" * 31, "A" * 32):
        with pytest.raises(NotFoundError):
            studio.assets.get(key)
    with pytest.raises(NotFoundError, match="gone"):
        studio.assets.get("0" * 32)


def test_files_are_whole_or_not_there(tmp_path: Path) -> None:
    target = tmp_path / "file"
    write_whole(target, b"first")

    with pytest.raises(TypeError):
        write_whole(target, object())  # type: ignore[arg-type]
    assert target.read_bytes() == b"first"
    assert [p.name for p in tmp_path.iterdir()] == ["file"]


def test_migrations_make_what_the_mappings_say(studio: Studio) -> None:
    engine = sa.create_engine(f"sqlite:///{studio.folder / 'studio.sqlite'}")
    with engine.connect() as connection:
        assert compare_metadata(MigrationContext.configure(connection), Base.metadata) == []


def test_takes_are_summed_up_without_being_read(studio: Studio) -> None:
    """Frames and bytes of takes by the database alone, whatever their documents and records have become."""
    project = studio.projects.create(new_project("A")).project
    studio.takes.call("take-1", "Orbit 1", project, 1, None)
    studio.takes.call("take-2", "Orbit 2", project, 1, None)
    files = {"beauty": FileSum("a" * 64, 1000), "depth": FileSum("b" * 64, 200), "clay": None}
    for number in (1, 2, 3):
        studio.takes.add_frame("take-1", FrameRecord(number, f"{number}.png", dict(files), 2.0, clamped=number / 100))
    with sqlite3.connect(studio.folder / "studio.sqlite") as database:
        database.execute("update take set document = 'lost'")
        database.execute("update frame set files = '{\"beauty' where number = 3")
        database.execute("update take set slate = 'lost' where id = 'take-2'")
    second, first = studio.take_list.all(project.id)
    assert (second.id, second.finished, second.bytes, second.slate) == ("take-2", 0, 0, None)
    assert (first.finished, first.bytes, first.seconds, first.state) == (3, 3600, 6.0, "queued")
    assert first.clamped == pytest.approx(0.02)
    assert first.slate is not None
    assert (first.slate.project_name, first.slate.width) == ("A", project.shot.shoot.width)
    assert studio.take_list.finished_numbers("take-1") == [1, 2, 3]
    assert studio.take_list.finished_among([("take-1", 2), ("take-1", 4), ("take-2", 1)]) == {("take-1", 2)}
    assert studio.take_list.all("project-of-nobody") == []
