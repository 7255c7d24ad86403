"""A take outlives its record: slate and frames lie beside each other on disk."""

import json
import sqlite3
from datetime import date
from pathlib import Path

import pytest

from cyclorama.core.errors import DamagedError, NotFoundError
from cyclorama.core.scene import Project, new_project, put_all
from cyclorama.store import FileSum, FrameRecord, Studio, TakeRecord, open_studio
from cyclorama.store.adopt import ADOPTED
from cyclorama.store.backup import InUseError, back_up, restore
from cyclorama.store.database import DATABASE


def take_with_frames(studio: Studio, project: Project, number: int, *frames: int) -> TakeRecord:
    take = studio.takes.call(f"pot-orbit-{number:03d}-abcd", f"Orbit {number}", project, 1, None)
    (take.folder / "beauty").mkdir()
    for n in frames:
        (take.folder / "beauty" / f"{n}.png").write_bytes(b"picture")
        record = FrameRecord(n, f"{n}.png", {"beauty": FileSum("0" * 64, 7)}, 2.5, 0.25, "ab" * 16, "far")
        studio.takes.add_frame(take.id, record)
    return studio.takes.get(take.id)


def test_a_take_whose_record_went_with_the_log_is_adopted(data_folder: Path) -> None:
    studio = open_studio(data_folder)
    project = put_all(new_project("Pot"), {"shot/frames": 3})
    studio.projects.create(project)
    studio.checkpoint()
    before = (data_folder / DATABASE).read_bytes()
    part, whole = take_with_frames(studio, project, 6, 1, 2), take_with_frames(studio, project, 7, 1, 2, 3)
    removed = take_with_frames(studio, project, 8, 1)
    (removed.folder / "slate.json").unlink()
    with (part.folder / "frames.jsonl").open("ab") as file:
        file.write(b'{"number": 3, "fi')  # the power went while it was written
    studio.close()
    (data_folder / DATABASE).write_bytes(before)
    again = open_studio(data_folder)
    assert [sentence.split(" ", 3)[2] for sentence in again.findings[:2]] == ["‘Orbit", "‘Orbit"]
    assert "without a slate" in again.findings[2]
    adopted = again.takes.get(part.id)
    assert (adopted.state, adopted.message, adopted.created) == ("stopped", ADOPTED, part.created)
    assert adopted.frames == part.frames
    assert adopted.project == part.project
    assert again.takes.get(whole.id).state == "done"
    assert again.takes.next_number(project.id) == 8  # numbers that were used are not used again
    with pytest.raises(NotFoundError):
        again.takes.get(removed.id)
    again.close()
    assert len(open_studio(data_folder).findings) == 1


def test_a_lost_project_comes_back_with_its_take(data_folder: Path) -> None:
    studio = open_studio(data_folder)
    studio.projects.create(new_project("Other"))
    back_up(data_folder, date(2026, 3, 1))
    project = studio.projects.create(new_project("Pot")).project
    take = take_with_frames(studio, project, 1, 1)
    with pytest.raises(InUseError, match="is open"):
        restore(data_folder)
    studio.close()
    assert "‘Pot’ is not in it." in restore(data_folder).notes
    again = open_studio(data_folder)
    assert "Its project ‘Pot’ was lost too" in again.findings[0]
    assert again.projects.get(project.id).project == project
    assert again.takes.get(take.id).frames.keys() == {1}


def test_takes_of_earlier_versions_get_their_slates(data_folder: Path) -> None:
    studio = open_studio(data_folder)
    take = take_with_frames(studio, studio.projects.create(new_project("Pot")).project, 1, 1)
    for path in take.folder.glob("*.json*"):
        path.unlink()
    studio.close()
    open_studio(data_folder).close()
    with sqlite3.connect(data_folder / DATABASE) as connection:
        connection.execute("DELETE FROM take")
        connection.execute("DELETE FROM frame")
    connection.close()
    assert open_studio(data_folder).takes.get(take.id).frames == take.frames
    assert json.loads((take.folder / "slate.json").read_text())["name"] == "Orbit 1"


def test_a_damaged_copy_is_skipped_and_a_day_can_be_chosen(data_folder: Path) -> None:
    studio = open_studio(data_folder)
    assert back_up(data_folder, date(2026, 2, 28)) is None  # an empty studio is not worth a copy
    for day in (1, 2, 3):
        studio.projects.create(new_project(f"Day {day}"))
        back_up(data_folder, date(2026, 3, day))
    studio.close()
    newest = data_folder / "backups" / "studio-2026-03-03.sqlite"
    data = bytearray(newest.read_bytes())
    data[4096 : 8 * 4096] = bytes(7 * 4096)
    newest.write_bytes(data)
    restored = restore(data_folder)
    assert restored.copy.name == "studio-2026-03-02.sqlite"
    assert restored.notes == ("The copy of 2026-03-03 is damaged and was not used.", "‘Day 3’ is not in it.")
    assert restore(data_folder, date(2026, 3, 1)).copy.name == "studio-2026-03-01.sqlite"
    with pytest.raises(NotFoundError, match="copies of 2026-03-01, 2026-03-02, 2026-03-03"):
        restore(data_folder, date(2026, 2, 28))
    with pytest.raises(DamagedError, match="No copy"):
        restore(data_folder, date(2026, 3, 3))
