"""The document: exact round trips, messages in the artist's words, typed changes."""

import json
from typing import get_args

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from cyclorama.core.commands.values import SetValue, apply_set
from cyclorama.core.cut.document import Cut
from cyclorama.core.errors import ChangeError
from cyclorama.core.scene import SCHEMA_VERSION, Project, load_project, new_project, place_of, value_at
from cyclorama.core.scene.base import Choices
from cyclorama.core.scene.property import _kinds, _model_in


@given(
    focal=st.floats(8, 400),
    stops=st.floats(-12, 12),
    frames=st.integers(1, 100_000),
    colour=st.lists(st.floats(0, 1), min_size=3, max_size=3),
    name=st.text(min_size=1, max_size=80),
)
@settings(max_examples=60, deadline=None)
def test_round_trip_is_exact(focal: float, stops: float, frames: int, colour: list[float], name: str) -> None:
    project = new_project("Test")
    for path, value in (
        ("camera/focal_mm", focal),
        ("look/lights/key/strength_stops", stops),
        ("shot/frames", frames),
        ("set/sweep/color", colour),
        ("name", name),
    ):
        project = apply_set(project, SetValue(path=path, value=value))
    again = load_project(project.model_dump_json())
    assert again == project
    assert again.camera.focal_mm == focal
    assert again.model_dump_json() == project.model_dump_json()


@pytest.mark.parametrize("path", ["name", "camera/name", "look/lights/key/name"])
def test_names_hold_nothing_that_cannot_be_seen(path: str) -> None:
    project = apply_set(new_project("Test"), SetValue(path=path, value="Key\x00\x1bof the\tlantern\x85"))
    assert value_at(project, path) == "Key of the lantern "


@pytest.mark.parametrize(
    ("path", "value", "sentence"),
    [
        ("camera/focal_mm", 3, "Focal length must be at least 8 mm; it was 3."),
        ("camera/focal_mm", "wide", "Focal length must be a number; ‘wide’ is not one."),
        ("camera/focal_mm", float("nan"), "Focal length must be an ordinary number."),
        ("look/lights/key/strength_stops", 99, "Strength must be at most 12 stops; it was 99."),
        ("shot/frames", 2.5, "Frames must be a whole number; it was 2.5."),
        ("shot/frames", 0, "Frames must be at least 1 frame; it was 0."),
        ("shot/camera_id", "nobody", "There is no camera ‘nobody’ in this project, which ‘Orbit’ is shot through."),
        ("name", "", "Name must not be empty."),
        ("shot/move/kind", "wobble", "Move must be one of 'orbit', 'spin', 'sway', 'arc', 'push',…; it was ‘wobble’."),
        ("shot/move/kind", "spin", "The disc and items only spin and hold; the camera does all else."),
    ],
)
def test_messages(path: str, value: object, sentence: str) -> None:
    project = new_project("Test")
    with pytest.raises(ChangeError) as error:
        apply_set(project, SetValue.model_construct(kind="set", path=path, value=value))
    assert error.value.sentence == sentence


@pytest.mark.parametrize(
    "path", ["nothing", "look/lights/nobody/on", "shot/frames/x", "id", "look/lights/key/id", "schema_version"]
)
def test_places_that_cannot_be_set(path: str) -> None:
    with pytest.raises(ChangeError):
        apply_set(new_project("Test"), SetValue(path=path, value=1))


@pytest.mark.parametrize(
    "path",
    [
        "look/lights/{key}/strength_stops",
        "look/lights/{key}/temperature_k",
        "camera/focal_mm",
        "shot/shoot/margin",
        "shot/frames",
        "set/disc/roughness",
        "look/environment/sky/turbidity",
        "camera/f_number",
        "shot/shoot/passes/wire_px",
    ],
)
def test_ranges_are_what_the_document_allows(path: str) -> None:
    """The ends are accepted, what lies just beyond is not."""
    project = new_project("Test")
    place = path.replace("{key}", "key")
    least, greatest = place_of(path).least, place_of(path).most
    assert least is not None
    assert greatest is not None
    for end, beyond in ((least, least - 1), (greatest, greatest + 1)):
        apply_set(project, SetValue(path=place, value=end))
        with pytest.raises(ChangeError):
            apply_set(project, SetValue(path=place, value=beyond))


def test_ranges_end_where_the_document_does() -> None:
    size = place_of("materials/{material}/maps/{slot}/size_m")
    assert (size.title, size.unit, size.least, size.most) == ("Size", "m", 1e-7, 10_000)
    last = place_of("shot/shoot/to_frame")
    assert (last.least, last.most, last.kind) == (0, None, "whole")
    for path in ("camera/nothing", "look/tone/ev100/more"):
        with pytest.raises(KeyError):
            place_of(path)


def test_newer_and_foreign_documents_are_refused() -> None:
    data = json.loads(new_project("Test").model_dump_json())
    with pytest.raises(ChangeError, match="version 99"):
        load_project({**data, "schema_version": 99})
    with pytest.raises(ChangeError, match="nothing called ‘extra’"):
        load_project({**data, "extra": 1})
    with pytest.raises(ChangeError):
        load_project(b"not json")


def test_solo_and_ranges() -> None:
    project = new_project("Test")
    solo = apply_set(project, SetValue(path="look/lights/fill/solo", value=True))
    assert [light.id for light in solo.look.lit_lights] == ["fill"]
    cut: Project = apply_set(solo, SetValue(path="shot/shoot/from_frame", value=10))
    cut = apply_set(cut, SetValue(path="shot/shoot/to_frame", value=500))
    assert cut.shot.frame_numbers == range(10, 241)


def of_second_version(**values: object) -> dict[str, object]:
    """A document as version 2 wrote it."""
    subject = {
        "asset": "a" * 32,
        "source_name": "lamp.glb",
        "parts": [
            {"id": "part-1", "name": "Foot", "material": "m", "triangles": 4},
            {"id": "part-2", "name": "Shade", "material": "m", "triangles": 8, "visible": False},
        ],
        "variants": [{"name": "Night", "materials": [["part-2", "n"]]}],
    }
    return {
        "schema_version": 2, "id": "old", "name": "Old", "subject": subject,
        "materials": [{"id": "m", "name": "M"}, {"id": "n", "name": "N"}],
        "lights": [{"id": "key", "name": "Key", "aim_above_m": 0.1}],
        "environment": {"kind": "sky", "background": {"colour": [0.1, 0.2, 0.3]}},
        "cameras": [{"id": "camera-1", "name": "A", "target_height_m": 0.25, "focus_point_m": [0, 0.1, 0]},
                    {"id": "item-1", "name": "B", "target_height_m": 0.75}],
        "camera_id": "item-1", "look": {"ev100": 7.5},
        "move": {"id": "move-1", "name": "Turn", "kind": "spin", "direction": "clockwise", "frames": 48,
                 "rate_num": 25, "start_azimuth_deg": 30.0, "lights_travel_with": "subject"},
        "shoot": {"width": 640, "height": 360, "name_pattern": "{project}_{move}"},
    } | values  # fmt: skip


def test_documents_of_the_second_version_are_brought_up_to_date() -> None:
    """The subject becomes an item with colourways, loose lights a look, the move a shot; lights keep their place."""
    p = load_project(of_second_version())
    item = p.subject
    assert item is not None
    assert item.id not in {c.id for c in p.cameras}
    assert (item.name, [part.name for part in item.parts]) == ("Lamp", ["Foot", "Shade"])
    assert [[(w.material, w.visible) for w in v.parts] for v in item.variants] == [
        [("m", True), ("m", False)],
        [("m", True), ("n", False)],
    ]
    assert (p.camera.id, p.camera.azimuth_deg, p.camera.aim.y_m) == ("item-1", 30.0, 0.75)
    assert p.cameras[0].focus_item == item.id
    assert (p.look.lights[0].aim.y_m, p.look.lights[0].aim_above_m) == (0.75, 0.1)
    assert (p.look.background.colour, p.look.tone.ev100, p.look.lights_travel_with) == ((0.1, 0.2, 0.3), 7.5, "subject")
    assert (p.shot.name, p.shot.frames, p.rate_num, p.shot.shoot.width) == ("Turn", 48, 25, 640)
    (row,) = p.shot.rows
    assert (row.id, row.segments[0].kind, row.segments[0].turns) == ("disc", "spin", -1.0)
    assert p.shot.shoot.name_pattern == "{project}_{shot}"
    assert load_project(p.model_dump_json()) == p
    for gone in ("move", "cameras", "camera_id"):
        broken = {name: value for name, value in of_second_version().items() if name != gone}
        with pytest.raises(ChangeError, match="something is missing in it"):
            load_project(broken)


@pytest.mark.parametrize(("transparent", "background"), [(True, "transparent"), (False, "set")])
def test_documents_of_the_third_version_keep_their_background(transparent: bool, background: str) -> None:
    now = json.loads(new_project("Lamp").model_dump_json())
    for shot in now["shots"]:
        del shot["shoot"]["background"], shot["shoot"]["disc_seen"]
        shot["shoot"]["transparent"] = transparent
    project = load_project({**now, "schema_version": 3})
    assert project.schema_version == SCHEMA_VERSION
    assert project.shot.shoot.background == background


def test_documents_of_the_first_version_are_brought_up_to_date() -> None:
    """Packed maps become maps by channel, alpha its own map, the background colour moves into the background."""
    packed = {"asset": "mr", "name": "", "wrap": "repeat"}
    material = {
        "id": "m",
        "name": "M",
        "emission_nit": 300.0,
        "base_color_map": {"asset": "base", "name": "", "wrap": "clamp"},
        "metal_rough_map": packed,
        "normal_map": None,
        "emission_map": None,
        "opacity_from_base_alpha": True,
    }
    environment = {"asset": None, "background": [0.1, 0.2, 0.3]}
    old = of_second_version(schema_version=1, materials=[material], environment=environment, subject=None)
    project = load_project(old)
    m = project.materials[0]
    assert project.schema_version == SCHEMA_VERSION
    assert (m.emission_luminance, m.maps.base_color.asset) == (300, "base")  # type: ignore[union-attr]
    assert (m.maps.specular_roughness.channel, m.maps.base_metalness.channel) == ("g", "b")  # type: ignore[union-attr]
    assert (m.maps.opacity.asset, m.maps.opacity.channel) == ("base", "a")  # type: ignore[union-attr]
    assert project.look.background.colour == (0.1, 0.2, 0.3)


def test_titles_of_choices_are_those_of_their_values() -> None:
    """What stands beside a field names every value that it allows, and no other."""
    found, models = 0, {Project, Cut}
    while models:
        model = models.pop()
        for info in model.model_fields.values():
            models |= {inner} if (inner := _model_in(info.annotation)[0]) else set()
            for told in (m for m in info.metadata if isinstance(m, Choices)):
                found += 1
                assert set(told.titles) == {str(v) for v in get_args(_kinds(info.annotation)[0])}
    assert found >= 25
