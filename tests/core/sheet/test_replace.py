"""Another version of the model: what was done to parts of the same name stays."""

import numpy as np
from tests.conftest import sphere
from tests.core.sheet.test_sheet import Blind

from cyclorama.core.geometry.intake import take_in
from cyclorama.core.geometry.kept import Intake
from cyclorama.core.geometry.mesh import Mesh
from cyclorama.core.scene import Project, SetValue, apply_set, new_project
from cyclorama.core.scene.changes import LayDown
from cyclorama.core.sheet import perform
from cyclorama.core.sheet.arrive import put_on_set
from cyclorama.core.sheet.replace import kept_by_name
from cyclorama.demo.glb import GlbWriter


def version(parts: dict[str, str], radius: float = 0.1) -> Intake:
    """A model of balls side by side: names of the parts and of their materials."""
    writer = GlbWriter()
    made = {name: writer.material(name, (0.1, 0.2, 0.3)) for name in dict.fromkeys(parts.values())}
    for i, (name, material) in enumerate(parts.items()):
        ball = sphere(radius, 16)
        moved = Mesh(ball.vertices + np.float32([i * 0.3, 0, 0]), ball.normals, ball.uvs, ball.triangles, ball.part)
        writer.part(name, moved, made[material])
    return take_in({"set.glb": writer.to_bytes()})


def on_set(project: Project, intake: Intake) -> Project:
    return put_on_set(project, kept_by_name(project, intake)[0], Blind())


def edited(project: Project, **values: object) -> Project:
    for path, value in values.items():
        project = apply_set(project, SetValue(path=path.replace("__", "/"), value=value))  # type: ignore[arg-type]
    return project


def test_parts_of_the_same_name_keep_what_was_done_to_them() -> None:
    first = version({"lid": "brass", "pot": "clay", "base": "clay"})
    project = on_set(new_project("Test"), first)
    project, _ = perform(project, LayDown(on="face"), first.measures, Blind())
    project = edited(
        project, **{"materials__material-1__base_color": [0.9, 0.1, 0.1], "subject__parts__part-3__visible": False,
                    "lights__key__excluded_parts": ["part-2"], "lights__key__strength_stops": 1.5},
    )  # fmt: skip
    # the new file has another order, one part more, one less, and its own ids 1, 2, 3
    second = version({"spout": "steel", "pot": "clay", "lid": "brass"}, 0.12)
    after = on_set(project, second)
    assert after.subject is not None
    by_name = {p.name: p for p in after.subject.parts}
    assert by_name["pot"].id == "part-2"
    assert len({p.id for p in after.subject.parts}) == 3
    material = {m.id: m for m in after.materials}
    assert material[by_name["lid"].material].base_color == (0.9, 0.1, 0.1)
    assert material[by_name["spout"].material].name == "steel"
    assert [m.name for m in after.materials] == ["brass", "clay", "steel"]
    assert (after.lights[0].excluded_parts, after.lights[0].strength_stops) == (("part-2",), 1.5)
    assert after.subject.placement.tip_deg == project.subject.placement.tip_deg  # type: ignore[union-attr]
    assert kept_by_name(project, second)[1] == 2


def test_another_model_brings_its_own() -> None:
    """One name of three in common is chance; names that stand for several parts match nothing."""
    project = edited(on_set(new_project("Test"), version({"lid": "brass", "pot": "clay"})),
                     **{"materials__material-1__base_color": [0.9, 0.1, 0.1]})  # fmt: skip
    other = version({"lid": "brass", "wheel": "rubber", "door": "paint"})
    after = on_set(project, other)
    assert after.materials == other.materials
    assert kept_by_name(project, other)[1] == 0


def test_the_same_again_changes_nothing_but_the_mesh() -> None:
    first = version({"lid": "brass", "pot": "clay"})
    project = edited(on_set(new_project("Test"), first), **{"materials__material-2__specular_roughness": 0.05})
    after = on_set(project, version({"lid": "brass", "pot": "clay"}, 0.11))
    assert after.materials == project.materials
    assert [p.model_copy(update={"triangles": 0}) for p in after.subject.parts] == [  # type: ignore[union-attr]
        p.model_copy(update={"triangles": 0})
        for p in project.subject.parts  # type: ignore[union-attr]
    ]
