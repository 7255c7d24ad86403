"""Parts that are taken apart."""

from dataclasses import replace

import numpy as np
import pytest
from tests.conftest import diffuse, item_of, plane, project_of, sphere

from cyclorama.core.commands.splitting import SplitPart, split_mesh, with_parts
from cyclorama.core.errors import ChangeError
from cyclorama.core.geometry.mesh import Mesh
from cyclorama.core.geometry.split import pieces_of, split
from cyclorama.core.scene import Project, put_all


def _three_balls() -> Mesh:
    """One part of three balls of different fineness; their seams have two vertices at one place."""
    balls = [sphere(0.1, n) for n in (16, 48, 24)]
    first = np.cumsum([0, *(len(b.vertices) for b in balls)])
    vertices = np.concatenate(
        [b.vertices + np.float32([x, 0, 0]) for b, x in zip(balls, (-0.3, 0.0, 0.3), strict=True)]
    )
    return Mesh(
        vertices,
        np.concatenate([b.normals for b in balls]),
        np.concatenate([b.uvs for b in balls]),
        np.concatenate([b.triangles + k for b, k in zip(balls, first, strict=False)]).astype(np.int32),
        np.zeros(sum(len(b.triangles) for b in balls), np.int32),
    )


def test_pieces_that_do_not_touch_become_parts_the_largest_stays() -> None:
    mesh = _three_balls()
    label = pieces_of(mesh, 0)
    after = split(mesh, 0, label, 1)
    sizes = np.bincount(after.part)
    assert sizes.tolist() == [len(sphere(0.1, n).triangles) for n in (48, 24, 16)]
    assert (np.diff(after.part) >= 0).all()  # parts stand together, as everything that reads them expects
    for part, x in ((0, 0.0), (1, 0.3), (2, -0.3)):
        own = after.vertices[after.triangles[after.part == part]]
        assert np.abs(np.linalg.norm(own - [x, 0, 0], axis=-1) - 0.1).max() < 1e-6
    assert not pieces_of(sphere(0.1, 24), 0).any()


def _seen(line: tuple[tuple[float, float], ...]) -> tuple[Project, Mesh]:
    project, _ = project_of(mesh := sphere(0.5, 64), diffuse())
    project = put_all(project, {"camera/aim/y_m": 0.0, "camera/elevation_deg": 0.0, "camera/distance_m": 4.0})
    wanted = SplitPart(item=project.items[0].id, part=project.items[0].parts[0].id, by="line", frame=1, line=line)
    after = split_mesh(project, wanted, mesh)
    return with_parts(project, wanted, after, "0" * 32), after


def test_a_drawn_line_cuts_a_part_out_of_what_faces_the_camera() -> None:
    """The right half of the picture of a ball in its middle: a quarter of it, to the right and to the front."""
    project, after = _seen(((0.5, 0.0), (1.0, 0.0), (1.0, 1.0), (0.5, 1.0)))
    own = after.vertices[after.triangles[after.part == 1]].mean(axis=1)
    share = len(own) / len(after.triangles)
    assert share == pytest.approx(0.25 * (1 - 0.5 / 4.0), abs=0.03)  # less than half faces an eye so near
    assert own[:, 0].min() > -0.02
    assert own[:, 2].min() > 0.5 * 0.5 / 4.0 - 0.03
    old, new = project.items[0].parts
    assert (old.triangles, new.triangles) == tuple(np.bincount(after.part))
    worn = project.items[0].variant.parts
    assert [w.id for w in worn] == [old.id, new.id]
    assert worn[0].material == worn[1].material
    assert new.box is not None
    assert new.box[0] > -0.05


def test_parts_in_one_piece_say_so() -> None:
    for line in ((), ((0.0, 0.0), (0.01, 0.0), (0.0, 0.01))):
        with pytest.raises(ChangeError):
            _seen(line)
    project, _ = project_of(mesh := plane(), diffuse())
    wanted = SplitPart(item=project.items[0].id, part=project.items[0].parts[0].id)
    with pytest.raises(ChangeError, match="one piece"):
        split_mesh(project, wanted, mesh)
    with pytest.raises(ChangeError, match="not there"):
        split_mesh(project, wanted.model_copy(update={"part": "gone"}), mesh)


def test_lights_that_spare_a_part_spare_what_is_taken_from_it() -> None:
    mesh = _three_balls()
    project, _ = project_of(mesh, diffuse())
    item = item_of(project.items[0].asset, ("Balls", "Diffuse")).model_copy(update={"id": project.items[0].id})
    light = {"id": "key", "name": "Key", "excluded_parts": (project.items[0].parts[0].id,)}
    project = put_all(project, {"look/lights": (light,)})
    wanted = SplitPart(item=item.id, part=project.items[0].parts[0].id)
    after = with_parts(project, wanted, split_mesh(project, wanted, replace(mesh)), "1" * 32)
    assert set(after.look.lights[0].excluded_parts) == {p.id for p in after.items[0].parts}
