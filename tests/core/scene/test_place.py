"""Places: what is known of them, and that nothing is written that could not be read again."""

import math
from typing import Any, get_args

import pytest
from tests.conftest import always, item_of
from tests.core.review.test_call_sheet import Blind

from cyclorama.core.commands.perform import perform
from cyclorama.core.commands.values import SetValue, apply_set
from cyclorama.core.errors import ChangeError
from cyclorama.core.scene import (
    Channel,
    Gobo,
    Key,
    Light,
    Material,
    MaterialMaps,
    Path,
    PathPoint,
    Project,
    TextureRef,
    Wears,
    assets_of,
    dependency_key,
    full_path,
    insert_item,
    load_project,
    move_item,
    new_project,
    place_of,
    places,
    put,
    put_all,
    remove_item,
    value_at,
)
from cyclorama.core.scene.base import Affects
from cyclorama.core.scene.property import affects_everywhere


def furnished() -> Project:
    """A project with something of everything."""
    glaze = Material(id="glaze", name="Glaze", maps=MaterialMaps(height=TextureRef(pattern="noise")))
    project = new_project("Test")
    points = PathPoint(id="point-1"), PathPoint(id="point-2", x_m=1.0)
    keys = Key(id="key-1", value=(10.0,)), Key(id="key-2", frame=9, value=(11.0,))
    return put_all(
        project,
        {
            "paths": (Path(id="path-1", name="Track", points=points),),
            "shot/channels": (Channel(id="channel-1", path=f"looks/{project.look.id}/tone/ev100", keys=keys),),
            "materials": (glaze, Material(id="spare", name="Spare")),
            "items": (item_of("a" * 32, ("Pot", "glaze")),),
            "subject_id": "item-1",
            "look/lights/key/gobo": Gobo(),
        },
    )


PATHS = list(places(furnished()))
NUMBERS = [p for p in PATHS if place_of(p).kind in ("number", "whole") and not place_of(p).fixed]


def at(project: Project, path: str) -> str:
    """The path in another project of the same kind, whose ids are drawn anew."""
    steps = path.split("/")
    drawn = {"cameras": project.shot.camera_id, "looks": project.shot.look_id, "shots": project.shot_id}
    if steps[0] in drawn and len(steps) > 1:
        steps[1] = drawn[steps[0]]
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
    key = put(project, "look/lights/key/gobo/scale", 2.0)
    assert key.look.lights[1] is project.look.lights[1]
    assert key.look.lights[0].gobo is not project.look.lights[0].gobo
    assert project.look.lights[0].gobo.scale == 1.0  # type: ignore[union-attr]


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
            assert (dependency_key(after, on) != dependency_key(project, on)) == (place.affects in on), path


def test_facts_about_a_property() -> None:
    focal = place_of("camera/focal_mm")
    assert (focal.title, focal.unit, focal.least, focal.most, focal.affects) == ("Focal length", "mm", 8, 400, "camera")
    assert place_of("look/lights/key/strength_stops").affects == "gain"
    assert place_of("set/disc/color").affects == "surface"
    assert place_of("set/disc/height_m").affects == "geometry"
    assert place_of("subject/placement/turn_deg").affects == "transform"
    assert place_of("subject/play/speed").affects == "motion"
    assert place_of("materials/{material}/maps/{slot}/scale_u").affects == "surface"
    assert affects_everywhere()["materials/*/maps/base_color/scale_u"] == "surface"
    assert affects_everywhere()["materials/*/maps/height/scale_u"] == "geometry"  # it may move the surface
    assert (place_of("look/lights/key").kind, place_of("look/lights").kind) == ("thing", "list")
    assert place_of("subject/variant/parts/pot/material").affects == "geometry"
    assert place_of("shot/move/turns").affects == "motion"
    assert (place_of("subject/placement/tip_deg").then, place_of("set/disc/height_m").then) == ("settle", "stand")
    for path in ("subject/asset", "subject/parts/pot/id", "subject/parts/pot/triangles", "subject/cameras", "id"):
        assert place_of(path).fixed
        with pytest.raises(ChangeError, match="cannot be edited"):
            apply_set(furnished(), SetValue(path=path, value="x"))
    label = perform(furnished(), SetValue(path="rate_num", value=30), always(None), Blind())[1]
    assert label == "Set frame rate"


def test_short_paths_name_what_the_open_shot_has() -> None:
    project = furnished()
    shot = project.shot
    assert full_path(project, "camera/iso") == f"cameras/{shot.camera_id}/iso"
    assert full_path(project, "look/lights/key/tint") == f"looks/{shot.look_id}/lights/key/tint"
    assert full_path(project, "shot/move/turns") == f"shots/{shot.id}/rows/camera/segments/segment-1/turns"
    night = project.items[0].variant.model_copy(update={"id": "night"})
    project = put(project, "subject/variants", (*project.items[0].variants, night))
    wears = (Wears(id="item-1", variant="night"),)
    dressed = put(project, "shot/wears", wears)
    assert full_path(project, "subject/variant/name") == "items/item-1/variants/colourway-1/name"
    assert full_path(dressed, "subject/variant/name") == "items/item-1/variants/night/name"
    with pytest.raises(ChangeError, match="no subject yet"):
        value_at(new_project("Test"), "subject/name")


def test_files_that_a_document_refers_to() -> None:
    maps = MaterialMaps(height=TextureRef(asset="relief"), base_color=TextureRef(pattern="noise"))
    project = put_all(
        furnished(),
        {
            "materials/glaze/maps": maps,
            "look/lights/key/gobo/pictures": ("one", "two"),
            "subject/source": "archive",
            "look/environment/asset": "sky",
            "look/background/picture": "behind",
        },
    )
    assert assets_of(project) == {"relief", "one", "two", "archive", "sky", "behind", "a" * 32}


def test_lists_and_what_refers_to_them() -> None:
    project = furnished()
    more = insert_item(project, "look/lights", Light(id="kicker", name="Kicker"), 1)
    assert [x.id for x in more.look.lights] == ["key", "kicker", "fill", "rim"]
    assert [x.id for x in move_item(more, "look/lights/kicker", 3).look.lights] == ["key", "fill", "rim", "kicker"]
    assert remove_item(more, "look/lights/kicker") == project
    assert [m.id for m in remove_item(project, "materials/spare").materials] == ["glaze"]
    with pytest.raises(ChangeError, match="‘Glaze’ cannot be removed: Part ‘Pot’ refers to a material"):
        remove_item(project, "materials/glaze")
    with pytest.raises(ChangeError, match="cannot be removed: "):
        remove_item(project, f"cameras/{project.shot.camera_id}")
    with pytest.raises(ChangeError, match="There is nothing at ‘look/lights/nobody’"):
        remove_item(project, "look/lights/nobody")
    with pytest.raises(ChangeError, match="Two lights have the same id"):
        insert_item(project, "look/lights", Light(id="key", name="Another"))
    with pytest.raises(ChangeError, match="its id cannot be edited"):
        put(project, "look/lights/key", Light(id="other", name="Key"))
    # both sides of a reference change in one step, in any order
    parts = (project.items[0].variant.parts[0].model_copy(update={"material": "spare"}),)
    swapped = put_all(project, {"materials": project.materials[1:], "subject/variant/parts": parts})
    assert load_project(swapped.model_dump_json()) == swapped
    with pytest.raises(ChangeError, match="refers to a material"):
        put(project, "subject/variant/parts/pot/material", "nobody")


def test_unchecked_documents_are_checked_when_written() -> None:
    light = Light(id="key", name="Key").model_copy(update={"width_m": -1.0})
    with pytest.raises(ChangeError, match="Width must be at least"):
        put(furnished(), "look/lights/key", light)
