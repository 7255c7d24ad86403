"""Shooting in a terminal."""

from pathlib import Path

import pytest
from tests.shoot.test_shoot import studio_with

from cyclorama.cli.terminal_shoot import shoot_in_terminal
from cyclorama.shoot.frames.files import frame_path
from cyclorama.shoot.run.worker_lock import shooting


def test_a_range_and_going_on(data_folder: Path, capfd: pytest.CaptureFixture[str]) -> None:
    studio, _ = studio_with(data_folder)
    assert shoot_in_terminal(data_folder, "test", "orbit", "2-4", None, None) == 0
    assert "Only 3 of 6 frames" in capfd.readouterr().err
    take = studio.takes.get(studio.takes.ids()[0])
    assert sorted(take.frames) == [2, 3, 4]
    frame_path(take, 3).unlink()
    assert shoot_in_terminal(data_folder, "test", None, None, None, take.id) == 0
    assert frame_path(take, 3).exists()


@pytest.mark.parametrize(
    ("name", "shot", "frames", "sentence"),
    [
        ("nobody", None, None, "There is no project ‘nobody’ here. Known: ‘Test’."),
        ("Test", "spin", None, "There is no shot ‘spin’ in ‘Test’. Known: ‘Orbit’."),
        ("Test", None, "all", "‘all’ is not a frame range."),
        ("Test", None, "50-60", "The frame range is empty"),
    ],
)
def test_faults_are_said(
    data_folder: Path, capfd: pytest.CaptureFixture[str], name: str, shot: str | None, frames: str | None, sentence: str
) -> None:
    studio, _ = studio_with(data_folder)
    assert shoot_in_terminal(data_folder, name, shot, frames, None, None) == 1
    assert sentence in " ".join(capfd.readouterr().err.split())
    assert studio.takes.ids() == []


def test_no_studio_and_a_busy_one(data_folder: Path, capfd: pytest.CaptureFixture[str]) -> None:
    assert shoot_in_terminal(data_folder, "Test", None, None, None, None) == 1
    assert "There is no studio in" in capfd.readouterr().err
    assert not data_folder.exists()
    studio_with(data_folder)
    with shooting(data_folder) as mine:
        assert mine
        assert shoot_in_terminal(data_folder, "Test", None, None, None, None) == 1
    assert "Another shoot is running" in " ".join(capfd.readouterr().err.split())
