"""The Python interface, and the programs that its page shows."""

import re
import subprocess
import sys
from pathlib import Path

import pytest
from tests.core.geometry.test_intake import glb

import cyclorama
from cyclorama.core.errors import ChangeError, NotFoundError

PAGE = Path(__file__).resolve().parents[1] / "docs" / "python.md"
PROGRAMS = re.findall(r"```python\n(.*?)```", PAGE.read_text("utf-8"), re.DOTALL)
SMALL = {"shot/frames": 3, "shot/shoot/width": 32, "shot/shoot/height": 24, "shot/shoot/quality": "draft"}


@pytest.fixture
def place(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A folder with models, in which programs run; a studio with a small project and a take."""
    monkeypatch.chdir(tmp_path)
    for name in ("glass.glb", "range/small.glb", "range/tall.glb"):
        (tmp_path / name).parent.mkdir(exist_ok=True)
        (tmp_path / name).write_bytes(glb())
    with cyclorama.Studio.open("studio") as studio:
        project = studio.bring_in("glass.glb")
        project.set_all(SMALL)
        project.shoot()
    return tmp_path


def test_the_page_has_ten_programs() -> None:
    assert len(PROGRAMS) == 10


@pytest.mark.parametrize("number", range(10))
def test_every_program_of_the_page_runs(place: Path, number: int, capsys: pytest.CaptureFixture[str]) -> None:
    before = {path for path in place.rglob("*") if "studio" not in path.parts}
    exec(compile(PROGRAMS[number], f"program {number + 1}", "exec"), {"__name__": "__main__"})
    made = {path.name for path in place.rglob("*") if "studio" not in path.parts} - {path.name for path in before}
    assert made or capsys.readouterr().out


def test_edits_are_steps_and_faults_are_sentences(place: Path) -> None:
    with cyclorama.Studio.open(place / "studio") as studio:
        (project,) = studio.projects
        assert project.name == "Glass"
        before = project.document
        project.set("shot/shoot/samples", 24)
        assert project.get("shot/shoot/samples") == 24
        project.undo()
        assert project.document == before
        with pytest.raises(ChangeError):
            project.set("shot/shoot/samples", -1)
        with pytest.raises(cyclorama.Error, match="no project ‘nobody’"):
            studio.project("nobody")
        with pytest.raises(NotFoundError):
            studio.project("")
        for path in ("", "nothing/here", "id"):
            with pytest.raises(cyclorama.Error):
                project.set(path, 1)
        with pytest.raises(cyclorama.Error, match="no file"):
            studio.bring_in("nowhere.glb")
        assert project.document == before
        assert len(studio.projects) == 1
        (take,) = project.takes
        for wrong in ({"widht": 64}, {"width": 5}, {"preset": "nothing"}, {"fits_mb": float("nan")}):
            with pytest.raises(cyclorama.Error):
                take.deliver(place / "wrong.mp4", **wrong)
        assert not (place / "wrong.mp4").exists()
        assert take.state == "done"
        assert [path.suffix for path in take.frames] == [".png"] * 3


def test_a_script_is_run_once(place: Path) -> None:
    """Not again in the processes that read models, even where it does not ask for its name."""
    script = place / "script.py"
    script.write_text(
        "import cyclorama\n"
        "open('runs.txt', 'a').write('run ')\n"
        "with cyclorama.Studio.open('studio') as studio:\n"
        "    print(studio.bring_in('range/tall.glb').name)\n"
    )
    ran = subprocess.run([sys.executable, script.name], capture_output=True, text=True, check=True)
    assert ran.stdout.strip() == "Tall"
    assert (place / "runs.txt").read_text() == "run "
