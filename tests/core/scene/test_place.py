"""Places: what is known of them, and that nothing is written that could not be read again."""

import math
from typing import Any, get_args

import pytest
from tests.core.sheet.test_sheet import Blind

from cyclorama.core.errors import ChangeError
from cyclorama.core.scene import (
    Gobo,
    Light,
    Material,
    MaterialMaps,
    Part,
    Project,
    SetValue,
    Subject,
    TextureRef,
    apply_set,
    depending,
    inserted,
    load_project,
    moved,
    new_project,
    place_of,
    places,
    put,
    put_all,
    removed,
    value_at,
)
from cyclorama.core.scene.base import Affects
from cyclorama.core.scene.place import affects_everywhere
from cyclorama.core.sheet.perform import perform


def furnished() -> Project:
    """A project with something of everything."""
    glaze = Material(id="glaze", name="Glaze", maps=MaterialMaps(height=TextureRef(pattern="noise")))
    parts = (Part(id="pot", name="Pot", material="glaze", triangles=12),)
    project = new_project("Test")
    return put_all(project, {
        "materials": (glaze, Material(id="spare", name="Spare")),
        "subject": Subject(asset="a" * 32, source_name="pot.glb", parts=parts), "lights/key/gobo": Gobo(),
    })  # fmt: skip


PATHS = list(places(furnished()))
NUMBERS = [p for p in PATHS if place_of(p).kind in ("number", "whole") and not place_of(p).fixed]


def at(project: Project, path: str) -> str:
    """The path in another project of the same kind, whose ids are drawn anew."""
    steps = path.split("/")
    if steps[0] == "cameras" and len(steps) > 1:
        steps[1] = project.camera_id
    return "/".join(steps)


def test_the_ends_of_every_range_are_taken_and_read_again_and_nothing_beyond() -> None:
    project = furnished()
    assert len(NUMBERS) > 100
    for path in NUMBERS:
        place, here = place_of(path), at(project, path)
        for end, step in ((place.least, -1.0), (place.most, 1.0)):
            if end is None:
                continue
            written = put(project, here, end)
            assert value_at(written, here) == end
            assert load_project(written.model_dump_json()) == written, path
            beyond = end + step if place.kind == "whole" else math.nextafter(end, math.inf * step)
            with pytest.raises(ChangeError, match=r"must be at (least|most)"):
                put(project, here, beyond)
        for nonsense in ("wide", float("nan"), [], {"x": 1}):
            with pytest.raises(ChangeError):
                put(project, here, nonsense)


def test_only_what_leads_to_a_place_is_copied() -> None:
    project = furnished()
    for path in PATHS:
        here = at(project, path)
        value = value_at(project, here)
        assert put(project, here, value) == project
        steps = here.split("/")
        written: Any = put(project, here, value)
        for name in type(project).model_fields:
            assert (getattr(written, name) is getattr(project, name)) or name == steps[0]
    key = put(project, "lights/key/gobo/scale", 2.0)
    assert key.lights[1] is project.lights[1]
    assert key.lights[0].gobo is not project.lights[0].gobo
    assert project.lights[0].gobo.scale == 1.0  # type: ignore[union-attr]


def test_every_value_affects_what_is_said_beside_it_and_nothing_else() -> None:
    """What is kept as long as nothing changes is found by this: a forgotten one would show an old picture."""
    project = furnished()
    everything = [frozenset({a}) for a in get_args(Affects)]
    for path in PATHS:
        place, here = place_of(path), at(project, path)
        if place.fixed or place.kind not in ("number", "whole", "switch"):
            continue
        value = value_at(project, here)
        other = not value if place.kind == "switch" else place.least if value != place.least else value + 1
        after = put(project, here, other)
        assert value_at(after, here) != value
        for on in everything:
            assert (depending(after, on) != depending(project, on)) == (place.affects in on), path


def test_what_is_known_of_a_place() -> None:
    focal = place_of("camera/focal_mm")
    assert (focal.title, focal.unit, focal.least, focal.most, focal.affects) == ("Focal length", "mm", 8, 400, "camera")
    assert place_of("lights/key/strength_stops").affects == "gain"
    assert place_of("set/disc/color").affects == "surface"
    assert place_of("set/disc/height_m").affects == "geometry"
    assert place_of("subject/placement/turn_deg").affects == "transform"
    assert place_of("subject/play/speed").affects == "motion"
    assert place_of("materials/{material}/maps/{slot}/scale_u").affects == "surface"
    assert affects_everywhere()["materials/*/maps/height/scale_u"] == "surface"
    assert (place_of("lights/key").kind, place_of("lights").kind) == ("thing", "list")
    for path in ("subject/asset", "subject/parts/pot/id", "subject/parts/pot/triangles", "subject/variants", "id"):
        assert place_of(path).fixed
        with pytest.raises(ChangeError, match="cannot be edited"):
            apply_set(furnished(), SetValue(path=path, value="x"))
    assert perform(furnished(), SetValue(path="move/rate_num", value=30), None, Blind())[1] == "Set frame rate"


def test_lists_and_what_refers_to_them() -> None:
    project = furnished()
    more = inserted(project, "lights", Light(id="kicker", name="Kicker"), 1)
    assert [x.id for x in more.lights] == ["key", "kicker", "fill", "rim"]
    assert [x.id for x in moved(more, "lights/kicker", 3).lights] == ["key", "fill", "rim", "kicker"]
    assert removed(more, "lights/kicker") == project
    assert [m.id for m in removed(project, "materials/spare").materials] == ["glaze"]
    with pytest.raises(ChangeError, match="‘Glaze’ cannot be removed: Part ‘Pot’ refers to a material"):
        removed(project, "materials/glaze")
    with pytest.raises(ChangeError, match="cannot be removed: "):
        removed(project, f"cameras/{project.camera_id}")
    with pytest.raises(ChangeError, match="There is nothing at ‘lights/nobody’"):
        removed(project, "lights/nobody")
    with pytest.raises(ChangeError, match="Two lights have the same id"):
        inserted(project, "lights", Light(id="key", name="Another"))
    with pytest.raises(ChangeError, match="its id cannot be edited"):
        put(project, "lights/key", Light(id="other", name="Key"))
    # both sides of a reference change in one step, in any order
    parts = (project.subject.parts[0].model_copy(update={"material": "spare"}),)  # type: ignore[union-attr]
    swapped = put_all(project, {"materials": project.materials[1:], "subject/parts": parts})
    assert load_project(swapped.model_dump_json()) == swapped
    with pytest.raises(ChangeError, match="refers to a material"):
        put(project, "subject/parts/pot/material", "nobody")


def test_what_was_built_without_checks_is_checked_when_it_is_written() -> None:
    light = Light(id="key", name="Key").model_copy(update={"width_m": -1.0})
    with pytest.raises(ChangeError, match="Width must be at least"):
        put(furnished(), "lights/key", light)
