"""The bin: what is removed comes back whole, and is deleted with its files when its time is over."""

from datetime import timedelta
from pathlib import Path

import pytest
from tests.shoot.test_shoot import studio_with

from cyclorama.app import bin as bin_uses
from cyclorama.app import takes as take_service
from cyclorama.app.bin import bin_lines, delete_all, put_back
from cyclorama.core.errors import ChangeError, NotFoundError
from cyclorama.core.scene.saved_move import SavedMove
from cyclorama.store import Studio
from cyclorama.store.database import now
from cyclorama.store.garbage import collect_garbage
from cyclorama.store.library import Label


def test_a_project_comes_back_with_its_takes(data_folder: Path) -> None:
    studio, saved = studio_with(data_folder)
    key = saved.project.id
    first, second = (take_service.call_take(studio, saved, start=False) for _ in range(2))
    (studio.takes.folder(first.id) / "beauty").mkdir(parents=True, exist_ok=True)
    take_service.remove(studio, first.id)
    take_service.remove_project(studio, key)
    assert studio.projects.listed() == studio.takes.ids() == studio.take_list.all() == []
    with pytest.raises(NotFoundError, match="no such project"):
        studio.projects.get(key)
    # a take that was removed before is a line of its own, what went along with the project is not
    assert [(line.kind, line.says) for line in bin_lines(studio)] == [
        ("project", "Project with 2 takes"),
        ("take", f"Take of {saved.project.name}"),
    ]
    with pytest.raises(ChangeError, match="Restore the project first"):
        put_back(studio, "take", first.id)
    # nothing that lies here is collected or taken for lost
    collect_garbage(studio, rest_s=-10.0)
    assert Studio(data_folder).findings == []
    put_back(studio, "project", key)
    assert studio.projects.get(key).project == saved.project
    assert studio.takes.ids() == [second.id]
    put_back(studio, "take", first.id)
    assert {*studio.takes.ids()} == {first.id, second.id}
    assert studio.takes.get(first.id).folder.is_dir()
    assert bin_lines(studio) == []


def test_what_has_been_here_for_thirty_days_is_deleted_with_its_files(
    data_folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    studio, saved = studio_with(data_folder)
    take = take_service.call_take(studio, saved, start=False)
    folder = studio.takes.folder(take.id)
    assert folder.is_dir()
    take_service.remove(studio, take.id)  # a line of its own, beside that of its project
    take_service.remove_project(studio, saved.project.id)
    assert [line.kind for line in bin_lines(studio)] == ["project", "take"]
    empty = bin_uses.emptying_of_bin(studio)._act
    empty()
    assert folder.is_dir()
    later = now() + timedelta(days=31)
    monkeypatch.setattr(bin_uses, "now", lambda: later)
    empty()
    assert not folder.exists()
    assert bin_lines(studio) == []
    assert studio.takes.ids(binned=True) == studio.projects.ids(binned=True) == []
    with pytest.raises(NotFoundError, match="not in the bin any more"):
        put_back(studio, "project", saved.project.id)


def slow_push(identity: str) -> SavedMove:
    return SavedMove(
        id=identity, name="Slow push", frames=24, rate_num=24, rate_den=1, distance_m=1.0, aim_m=(0.0, 0.0, 0.0)
    )


def test_saved_things_keep_their_label_and_get_a_free_name(data_folder: Path) -> None:
    studio = Studio(data_folder)
    shelf = studio.moves
    move = shelf.keep(slow_push("move-1"))
    shelf.label(move.id, Label(tags=("calm",), favourite=True))
    shelf.remove(move.id)
    assert shelf.all() == []
    assert "Slow push" in shelf.text()  # what it refers to is needed as long as it may come back
    assert [(line.kind, line.name, line.says) for line in bin_lines(studio)] == [("moves", "Slow push", "Move")]
    shelf.keep(slow_push("move-2"))
    put_back(studio, "moves", move.id)
    assert {one.id: one.name for one in shelf.all()} == {"move-1": "Slow push 2", "move-2": "Slow push"}
    assert shelf.labels()[move.id].tags == ("calm",)
    shelf.remove(move.id)
    assert delete_all(studio) > 0
    assert bin_lines(studio) == []
    assert move.id not in shelf.labels()
    with pytest.raises(NotFoundError):
        put_back(studio, "moves", move.id)
