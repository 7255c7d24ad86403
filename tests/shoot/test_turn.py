"""From model files to clips in one command."""

import json
from pathlib import Path

import av
import numpy as np
import pytest
from PIL import Image
from tests.core.geometry.test_intake import glb

from cyclorama.cli.terminal_turn import turn_in_terminal
from cyclorama.core.scene.look import Look
from cyclorama.core.scene.stocked import Stocked, StockedLook
from cyclorama.core.scene.tone import Tone
from cyclorama.core.scene.writing import revise
from cyclorama.core.stock.sets import ready_set
from cyclorama.store import Studio

SMALL: dict = {"seconds": 0.125, "size": "64x48", "quality": "draft"}
SMALL |= {"set_name": None, "look_name": None, "preset": "web", "fits_mb": None, "as_json": True}


def turned(capsys: pytest.CaptureFixture[str], data: Path, models: list[Path], output: Path, **more: object) -> tuple:
    """Exit code and what was told for scripts."""
    code = turn_in_terminal(data, models, output, **SMALL | more)  # type: ignore[arg-type]
    return code, [json.loads(line) for line in capsys.readouterr().out.splitlines()]


def test_a_folder_of_models_is_turned_and_what_fails_is_told(
    capsys: pytest.CaptureFixture[str], tmp_path: Path
) -> None:
    (tmp_path / "brass ball.glb").write_bytes(glb())
    (tmp_path / "broken.glb").write_bytes(b"no model")
    models = [tmp_path / name for name in ("broken.glb", "brass ball.glb", "nowhere.glb")]
    before = sorted(path.name for path in tmp_path.iterdir())
    code, told = turned(capsys, tmp_path / "studio", models, tmp_path / "clips")
    assert code == 1
    assert ["error" in line for line in told] == [True, False, True]
    assert "no file" in told[2]["error"]
    assert sorted(path.name for path in tmp_path.iterdir()) == sorted([*before, "clips", "studio"])
    (clip,) = (tmp_path / "clips").iterdir()
    assert (clip.name, told[1]["file"]) == ("brass ball.mp4", str(clip))
    with av.open(str(clip)) as file:
        video = file.streams.video[0]
        assert (video.width, video.height, video.frames) == (64, 48, 3)
    assert any("200 × 200 × 200 mm" in sentence for sentence in told[1]["guessed"])
    studio = Studio(tmp_path / "studio")
    assert [listed.name for listed in studio.projects.listed()] == ["Brass ball"]  # to go on with
    studio.close()


def test_each_model_of_a_folder_is_turned(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    """A model with its files beside it is one, also where others lie there."""
    folder = tmp_path / "range"
    folder.mkdir()
    for name in ("ball.glb", "cup.glb"):
        (folder / name).write_bytes(glb())
    (folder / "card.obj").write_bytes(b"mtllib card.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl red\nf 1 2 3\n")
    (folder / "card.mtl").write_bytes(b"newmtl red\nKd 0.8 0.1 0.1\n")
    (folder / "notes.txt").write_text("to do")
    code, told = turned(capsys, tmp_path / "studio", [folder], tmp_path / "stills", preset="still")
    assert code == 0, told
    assert sorted(path.name for path in (tmp_path / "stills").iterdir()) == ["ball.png", "card.png", "cup.png"]
    studio = Studio(tmp_path / "studio")
    (card,) = (p for p in map(studio.projects.get, studio.projects.ids()) if p.project.name == "Card")
    assert "red" in {material.name for material in card.project.materials}
    studio.close()


def test_models_of_one_name_have_a_file_each(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    """Also of names that look like the terminal's own marks."""
    models = [tmp_path / folder / "ball [b][b].glb" for folder in ("one", "two")]
    for model in models:
        model.parent.mkdir()
        model.write_bytes(glb())
    code, told = turned(capsys, tmp_path / "studio", models, tmp_path / "stills", preset="still")
    assert code == 0, told
    assert sorted(path.name for path in (tmp_path / "stills").iterdir()) == ["ball [b][b] 2.png", "ball [b][b].png"]


def test_a_still_on_a_ready_set(
    capsys: pytest.CaptureFixture[str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    folder = tmp_path / "model"
    folder.mkdir()
    (folder / "ball.glb").write_bytes(glb())
    target = tmp_path / "ball.png"
    code, (told,) = turned(
        capsys, tmp_path / "studio", [Path("model")], Path("ball.png"), preset="still", set_name="Bottle on-dark gloss"
    )
    assert code == 0, told
    studio = Studio(tmp_path / "studio")
    assert len(studio.takes.get(told["take"]).frames) == 1
    look = studio.projects.get(told["project"]).project.look
    assert {light.name for light in look.lights} == {
        light.name for light in ready_set("bottle on dark gloss").look.lights
    }
    studio.close()
    with Image.open(target) as image:
        assert image.size == (64, 48)
        assert np.asarray(image).std() > 1


def test_a_kept_set_and_look_are_put_on(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    studio = Studio(tmp_path / "studio")
    jewel = ready_set("jewel on stone")
    stage = revise(jewel, set=revise(jewel.set, disc=revise(jewel.set.disc, on=not jewel.set.disc.on)))
    look = Look(id="dusk", name="Dusk", tone=Tone(ev100=1.25))
    studio.stock.keep(Stocked(id="set-a", name="Slate table", size_m=0.2, content=stage))
    studio.stock.keep(Stocked(id="look-a", name="Harbour dusk", size_m=0.2, content=StockedLook(look=look)))
    (tmp_path / "ball.glb").write_bytes(glb())
    wishes = {"preset": "still", "set_name": "slate-table", "look_name": "harbour dusk"}
    code, (told,) = turned(capsys, tmp_path / "studio", [tmp_path / "ball.glb"], tmp_path / "ball.png", **wishes)
    assert code == 0, told
    made = studio.projects.get(told["project"]).project
    assert made.set.disc.on == stage.set.disc.on
    assert (made.look.tone.ev100, made.look.lights) == (1.25, ())
    studio.close()


@pytest.mark.parametrize(
    ("wish", "says"),
    [
        ({"size": "large"}, "is no size"),
        ({"size": "64x48x2"}, "--size takes two numbers"),
        ({"size": "8x8"}, "--size takes two numbers from 16"),
        ({"seconds": -1.0}, "--seconds takes a number from 0.01"),
        ({"seconds": float("nan")}, "--seconds takes a number from 0.01"),
        ({"preset": "wbe"}, "There is no preset ‘wbe’"),
        ({"fits_mb": 0.0}, "more than 0 MB"),
        ({"quality": "finest"}, "--quality takes draft, fine or print"),
        ({"set_name": "beach"}, "There is no set ‘beach’. Known: bare-sweep"),
        ({"look_name": "dusk"}, "There is no look ‘dusk’. No look is kept"),
    ],
)
def test_wishes_that_cannot_be_are_told_before_anything_is_done(
    capsys: pytest.CaptureFixture[str], tmp_path: Path, wish: dict, says: str
) -> None:
    code = turn_in_terminal(tmp_path / "studio", [tmp_path / "a.glb"], tmp_path / "a.mp4", **SMALL | wish)
    assert code == 1
    assert says in " ".join(capsys.readouterr().err.split())
    assert not list(tmp_path.iterdir())
