"""Studios that earlier versions wrote, as they lay on disk: every state opens, takes know their frames."""

import sqlite3
import zipfile
from contextlib import closing
from pathlib import Path

import pytest

from cyclorama.core.framing import View, frame_margins
from cyclorama.core.geometry.measure import placed_hull
from cyclorama.core.motion import moment
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.scene import SCHEMA_VERSION, load_project
from cyclorama.shoot.frames.files import frame_path, frames_to_shoot
from cyclorama.store import Studio

DATA = Path(__file__).resolve().parents[1] / "data"


@pytest.fixture(params=["v1", "v2"])
def studio(request: pytest.FixtureRequest, tmp_path: Path) -> Studio:
    """A studio with one project of a float with two parts, of many states, and a take of two frames."""
    with zipfile.ZipFile(DATA / f"studio-{request.param}.zip") as archive:
        archive.extractall(tmp_path)
    return Studio(tmp_path)


def test_the_project_opens_as_it_was_and_every_step_back(studio: Studio) -> None:
    (listed,) = studio.projects.listed()
    saved = studio.projects.get(listed.id)
    p = saved.project
    assert p.schema_version == SCHEMA_VERSION
    assert (p.name, p.shot.name, p.shot.frames, p.camera.azimuth_deg) == ("Tide Float", "Orbit", 12, 30.0)
    assert [(r.id, r.segments[0].kind) for r in p.shot.rows] == [("disc", "spin")]
    assert p.subject is not None
    assert [w.visible for w in p.subject.variant.parts] == [True, False]
    assert p.look.lights[0].strength_stops == -0.5
    assert all(light.aim.y_m == p.camera.aim.y_m for light in p.look.lights)
    measures = studio.measures(p.subject)
    assert measures is not None
    margins = frame_margins(View.of(p), placed_hull(measures, p.subject.placement))
    assert len(margins.per_frame) == 12
    scene = SceneCompiler(studio.assets.get).compile(moment(p, 1), 32, 18)
    assert len(scene.bodies) == 2
    steps = 0
    while saved.undo:
        saved = studio.projects.step(listed.id, saved.version, -1)
        assert load_project(saved.project.model_dump_json()) == saved.project
        steps += 1
    assert steps > 10
    assert saved.project.subject is None
    # and it is edited and saved as one of this version
    again = studio.projects.edit(listed.id, saved.version, "Rename", lambda q: q.model_copy(update={"name": "New"}))
    assert f'"schema_version":{SCHEMA_VERSION}' in studio.projects.document(listed.id)
    assert again.project.name == "New"


def test_the_database_before_is_kept_beside_it(studio: Studio) -> None:
    (kept,) = studio.folder.glob("studio.sqlite.before-*")
    with closing(sqlite3.connect(kept)) as before, closing(sqlite3.connect(studio.folder / "studio.sqlite")) as now:
        (old,), (new,) = (c.execute("SELECT version_num FROM alembic_version").fetchone() for c in (before, now))
        projects, names = (set(c.execute("SELECT id, name FROM project")) for c in (before, now))
    assert (kept.name, old < new) == (f"studio.sqlite.before-{old}", True)
    assert projects == names != set()
    Studio(studio.folder).close()  # the second time there is nothing to bring up to date
    assert [*studio.folder.glob("studio.sqlite.before-*")] == [kept]


def test_the_take_knows_its_frames(studio: Studio) -> None:
    (listed,) = studio.take_list.all()
    assert (listed.state, listed.finished) == ("done", 2)
    assert listed.slate is not None
    assert listed.slate.project_name == "Tide Float"
    take = studio.takes.get(listed.id)
    assert listed.bytes == take.disk_bytes > 0
    assert list(take.numbers) == [1, 2]
    assert frames_to_shoot(take) == []
    assert frame_path(take, 2).name == "tide-float_orbit.0002.png"
