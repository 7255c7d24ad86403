"""Handing over in a terminal: files that are whole, and a sentence with an exit code where they cannot be."""

from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from pydantic import ValidationError
from tests.conftest import png_of

from cyclorama.cli.terminal_delivery import deliver_in_terminal
from cyclorama.core.cut.document import Clip, Cut, Title
from cyclorama.core.delivery.contact_sheets import best_columns
from cyclorama.core.delivery.presets import Delivery
from cyclorama.core.delivery.verify import pictures_of
from cyclorama.core.errors import ChangeError
from cyclorama.core.geometry.cache_keys import content_hash
from cyclorama.core.scene import new_project
from cyclorama.shoot.finish.deliver import file_name, folder_of, hand_over
from cyclorama.store import Studio


@pytest.fixture
def data(tmp_path: Path) -> Path:
    """A studio with a project whose cut is a red card, a green picture and a title."""
    folder = tmp_path / "studio"
    studio = Studio(folder)
    project = studio.projects.create(new_project("Harbour Lantern")).project.id
    picture = png_of(np.full((36, 64, 3), (0, 200, 0)))
    studio.assets.put(content_hash(picture), picture)
    clips = (Clip(id="a", colour=(1.0, 0.0, 0.0), length=4), Clip(id="b", picture=content_hash(picture), length=6))
    title = Title(id="t", text="4", length=10, fade_in=0, fade_out=0)
    studio.cuts.edit(project, 0, lambda before: (Cut(width=64, height=36, clips=clips, titles=(title,)), "Cut"))
    studio.close()
    return folder


def deliver(data: Path, preset: str, size: str | None = None, fits_mb: float | None = None, rounds: int = 1) -> int:
    return deliver_in_terminal(data, "Harbour Lantern", None, preset, size, fits_mb, rounds)


def test_a_cut_is_handed_over(data: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert deliver(data, "web", "128x72", rounds=2) == 0
    told = capsys.readouterr()
    path = Path(told.out.strip())
    assert path.name == "harbour-lantern_128x72_h264.mp4"
    assert "20 pictures." in told.err
    pictures = list(pictures_of(path, False))
    assert len(pictures) == 20
    assert pictures[0][2, 2] == pytest.approx([1, 0, 0], abs=0.04)
    assert pictures[19][2, 2] == pytest.approx([0, 200 / 255, 0], abs=0.04)
    assert deliver(data, "sheet") == 0
    sheet = np.asarray(Image.open(capsys.readouterr().out.strip()).convert("RGB"))
    assert sheet.shape[1] == 2400
    # a sheet has all ten frames: four of the card, six of the picture
    red = ((sheet[..., 0] > 240) & (sheet[..., 1] < 20)).sum()
    green = ((sheet[..., 0] < 20) & (sheet[..., 1] > 190) & (sheet[..., 1] < 210)).sum()
    assert green / red == pytest.approx(6 / 4, rel=0.05)
    assert best_columns(12, 16 / 9) in (3, 4)
    assert best_columns(1, 9 / 16) == 1


def test_ready_pieces_are_used_unless_their_pictures_changed(data: Path) -> None:
    class Ended(Exception):
        pass

    def end(what: str, share: float) -> None:
        if share > 0.5:
            raise Ended

    studio = Studio(data)
    project = studio.projects.ids()[0]
    handed = studio.cuts.hand_over(
        project, "frames", Delivery(preset="png", width=64, height=36), studio.cuts.get(project).cut
    )
    with pytest.raises(Ended):
        hand_over(studio, handed, end)
    (pieces,) = folder_of(studio, project).iterdir()
    (kept,) = pieces.iterdir()
    written = {f.name: f.stat().st_mtime_ns for f in kept.iterdir()}
    assert 5 <= len(written) < 10
    stale = pieces / "of other pictures"
    stale.mkdir()
    assert all(x.fine for x in hand_over(studio, handed, lambda what, share: None))
    assert [p.name for p in folder_of(studio, project).iterdir()] == ["frames"]
    files = {f.name: f.stat().st_mtime_ns for f in (folder_of(studio, project) / "frames").iterdir()}
    assert len(files) == 10
    assert {name: files[name] for name in written} == written
    studio.close()


def test_impossible_wishes_say_why(data: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    for asked, says in (
        ({"preset": "what"}, "no preset"),
        ({"preset": "web", "size": "7x7"}, "no size"),
        ({"preset": "web", "size": "wide"}, "no size"),
        ({"preset": "web", "rounds": 0}, "Rounds"),
        ({"preset": "web", "fits_mb": -1.0}, "more than 0"),
        ({"preset": "web", "fits_mb": 0.0002}, "coarsest"),
    ):
        assert deliver(data, **asked) == 1  # type: ignore[arg-type]
        assert says in " ".join(capsys.readouterr().err.split())
    assert deliver_in_terminal(data, None, "nothing", "web", None, None, 1) == 1
    assert deliver_in_terminal(data, "Plover", None, "web", None, None, 1) == 1
    assert deliver_in_terminal(tmp_path / "none", "x", None, "web", None, None, 1) == 1
    assert [p for p in (data / "deliveries").rglob("*") if p.is_file()] == []


def test_files_are_named_by_a_pattern() -> None:
    def named(pattern: str, **more: object) -> str:
        delivery = Delivery(width=1080, height=1920, name_pattern=pattern, **more)  # type: ignore[arg-type]
        return file_name("Storm Glass No. 4", delivery)

    assert named("{project}_{shape}_{size}_{codec}") == "storm-glass-no-4_9x16_1080x1920_h264.mp4"
    assert named("spot {preset}", preset="clear loop") == "spot clear-loop.webm"
    assert named("{project}", preset="png") == "storm-glass-no-4"  # a folder of frames
    assert named("..") == "storm-glass-no-4.mp4"  # no name that leads out of its folder
    assert named("") == "storm-glass-no-4_1080x1920_h264.mp4"
    with pytest.raises(ChangeError, match=r"Use \{project\}, \{shape\}, \{size\}, \{codec\}, \{preset\}"):
        named("{prject}")
    with pytest.raises(ValidationError):
        named("../elsewhere")
