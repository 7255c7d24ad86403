"""Another version of the model: what was done to parts of the same name stays."""

from dataclasses import replace

import numpy as np
import pytest
from tests.conftest import always, edited, sphere
from tests.core.review.test_call_sheet import Blind

from cyclorama.core.commands import perform
from cyclorama.core.commands.place_model import put_on_set
from cyclorama.core.commands.replace import finest, match_by_name, standing, with_subject_remade
from cyclorama.core.commands.standing import LayDown
from cyclorama.core.errors import ChangeError, IntakeError
from cyclorama.core.framing import View, frame_margins
from cyclorama.core.geometry.cache_keys import Intake
from cyclorama.core.geometry.detail import DetailRequest
from cyclorama.core.geometry.intake import take_in
from cyclorama.core.geometry.measure import gap_m, placed_hull
from cyclorama.core.geometry.mesh import Mesh
from cyclorama.core.review import review, stations
from cyclorama.core.review.stations import detail_sentence, off_px
from cyclorama.core.scene import Detail, Project, Variant, new_project
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
    return put_on_set(project, match_by_name(project, intake)[0], Blind())


def materials_of(project: Project) -> dict[str, str]:
    """Material of every part of the subject, by the part's name."""
    assert project.subject is not None
    return {p.name: w.material for p, w in zip(project.subject.parts, project.subject.variant.parts, strict=True)}


def test_parts_of_the_same_name_keep_what_was_done_to_them() -> None:
    first = version({"lid": "brass", "pot": "clay", "base": "clay"})
    project = on_set(new_project("Test"), first)
    project, _ = perform(project, LayDown(on="face"), always(first.measures), Blind())
    project = edited(
        project,
        {
            "materials/material-1/base_color": [0.9, 0.1, 0.1],
            "subject/variant/parts/part-3/visible": False,
            "look/lights/key/excluded_parts": ["part-2"],
            "look/lights/key/strength_stops": 1.5,
        },
    )
    # the new file has another order, one part more, one less, and its own ids 1, 2, 3
    second = version({"spout": "steel", "pot": "clay", "lid": "brass"}, 0.12)
    after = on_set(project, second)
    assert after.subject is not None
    by_name = {p.name: p for p in after.subject.parts}
    assert by_name["pot"].id == "part-2"
    assert len({p.id for p in after.subject.parts}) == 3
    material, worn = {m.id: m for m in after.materials}, materials_of(after)
    assert material[worn["lid"]].base_color == (0.9, 0.1, 0.1)
    assert material[worn["spout"]].name == "steel"
    assert [m.name for m in after.materials] == ["brass", "clay", "steel"]
    assert (after.look.lights[0].excluded_parts, after.look.lights[0].strength_stops) == (("part-2",), 1.5)
    assert after.subject.placement.tip_deg == project.subject.placement.tip_deg  # type: ignore[union-attr]
    assert match_by_name(project, second)[1] == 2


def test_another_model_brings_its_own() -> None:
    """One name of three in common is chance; names that stand for several parts match nothing."""
    project = edited(
        on_set(new_project("Test"), version({"lid": "brass", "pot": "clay"})),
        **{"materials__material-1__base_color": [0.9, 0.1, 0.1]},
    )
    other = version({"lid": "brass", "wheel": "rubber", "door": "paint"})
    after = on_set(project, other)
    assert after.materials == other.materials
    assert match_by_name(project, other)[1] == 0


def test_the_same_again_changes_nothing_but_the_mesh() -> None:
    first = version({"lid": "brass", "pot": "clay"})
    project = edited(on_set(new_project("Test"), first), **{"materials__material-2__specular_roughness": 0.05})
    after = on_set(project, version({"lid": "brass", "pot": "clay"}, 0.11))
    assert after.materials == project.materials
    assert [(p.id, p.name) for p in after.subject.parts] == [(p.id, p.name) for p in project.subject.parts]  # type: ignore[union-attr]
    assert after.subject.variants == project.subject.variants  # type: ignore[union-attr]


def made(project: Project, intake: Intake, files: bytes, **detail: object) -> tuple[Project, Intake]:
    """The project's model made again from its files, as the studio does it."""
    wanted = Detail(**detail)  # type: ignore[arg-type]
    _, off = finest(project, intake.measures, wanted)
    again = take_in({"set.glb": files}, wanted=DetailRequest(wanted, off))
    again.item = again.item.model_copy(update={"source": "kept"})
    return standing(with_subject_remade(project, again), project, lambda item: again.measures), again


def test_made_again_it_keeps_everything_but_its_triangles() -> None:
    """Lightened, with a part left out and all back: edits of materials, what lights spare, turn and stand stay; no more
    is off than may show where the camera is nearest."""
    writer = GlbWriter()
    for i, name in enumerate(("pot", "pot", "lid")):  # two of one name: numbers tell them apart
        ball = sphere(0.1, 96)
        moved = Mesh(ball.vertices + np.float32([i * 0.3, 0, 0]), ball.normals, ball.uvs, ball.triangles, ball.part)
        writer.part(name, moved, writer.material(f"{name} {i}", (0.1, 0.2, 0.3)))
    files = writer.to_bytes()
    intake = take_in({"set.glb": files})
    intake.item = intake.item.model_copy(update={"source": "kept"})
    project = on_set(new_project("Test"), intake)
    project = edited(
        project,
        **{
            "materials__material-2__base_color": [0.9, 0.1, 0.1],
            "subject__placement__turn_deg": 30,
            "look__lights__key__excluded_parts": ["part-2"],
            "subject__variant__parts__part-3__visible": False,
        },
    )
    light, again = made(project, intake, files, lighten=True, error_px=1.0, left_out=(1,))
    assert light.subject is not None
    assert project.subject is not None
    assert [p.id for p in light.subject.parts] == ["part-2", "part-3"]
    assert [w.visible for w in light.subject.variant.parts] == [True, False]
    assert [m.base_color[0] for m in light.materials] == [0.9, 0.1]
    assert light.subject.parts[0].triangles < project.subject.parts[1].triangles / 4
    assert light.subject.placement.turn_deg == 30
    assert abs(gap_m(again.measures, light.subject.placement, light.set.stand_height_m)) < 1e-9
    pixel_m = frame_margins(View.of(project), placed_hull(intake.measures, project.subject.placement)).pixel_m
    assert light.subject.off == pytest.approx(pixel_m)
    assert off_px(review(light, again.measures)) == pytest.approx(1.0, rel=0.1)
    back, _ = made(light, again, files)
    assert back.subject is not None
    assert [p.id for p in back.subject.parts] == ["part-1", "part-2", "part-3"]
    assert back.subject.parts[1] == project.subject.parts[1]
    assert len(back.materials) == 3
    assert (back.subject.off, detail_sentence(review(back, intake.measures))) == (0.0, "As in its source.")
    near = edited(light, camera__focal_mm=350)
    hint = " ".join(stations(review(near, again.measures))[0].hints)
    assert "It was made for a camera farther away" in hint
    other = again.item.model_copy(update={"source": "another"})
    with pytest.raises(ChangeError, match="Another model was brought in meanwhile"):
        with_subject_remade(project, replace(again, item=other))
    with pytest.raises(IntakeError, match="Keep at least one part"):
        made(project, intake, files, left_out=(1, 2, 3))


def test_colourways_come_along_and_stay() -> None:
    """A colourway that was made in the studio dresses the new version's parts as it dressed the old ones of their
    names; parts that it does not know wear what the file gives them."""
    project = on_set(new_project("Test"), version({"lid": "brass", "pot": "clay"}))
    assert project.subject is not None
    brass, clay = (w.material for w in project.subject.variant.parts)
    swapped = tuple(
        w.model_copy(update={"material": m}) for w, m in zip(project.subject.variant.parts, (clay, brass), strict=True)
    )
    night = Variant(id="night", name="Night", parts=swapped)
    project = edited(project, {"subject/variants": (*project.subject.variants, night), "subject/variant_id": "night"})
    after = on_set(project, version({"pot": "clay", "lid": "brass", "spout": "steel"}))
    names = {m.id: m.name for m in after.materials}
    assert {part: names[m] for part, m in materials_of(after).items()} == {
        "pot": "brass",
        "lid": "clay",
        "spout": "steel",
    }
    assert [v.name for v in after.subject.variants] == ["As it came", "Night"]  # type: ignore[union-attr]
