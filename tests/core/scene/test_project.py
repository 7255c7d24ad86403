"""The document: exact round trips, messages in the artist's words, typed changes."""

import json

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from cyclorama.core.errors import ChangeError
from cyclorama.core.scene import SCHEMA_VERSION, Project, SetValue, apply_set, load_project, new_project, place_of


@given(
    focal=st.floats(8, 400), stops=st.floats(-12, 12), frames=st.integers(1, 100_000),
    colour=st.lists(st.floats(0, 1), min_size=3, max_size=3), name=st.text(min_size=1, max_size=80),
)  # fmt: skip
@settings(max_examples=60, deadline=None)
def test_round_trip_is_exact(focal: float, stops: float, frames: int, colour: list[float], name: str) -> None:
    project = new_project("Test")
    for path, value in (
        (f"cameras/{project.camera_id}/focal_mm", focal), ("lights/key/strength_stops", stops),
        ("move/frames", frames), ("set/sweep/color", colour), ("name", name),
    ):  # fmt: skip
        project = apply_set(project, SetValue(path=path, value=value))
    again = load_project(project.model_dump_json())
    assert again == project
    assert again.camera.focal_mm == focal
    assert again.model_dump_json() == project.model_dump_json()


@pytest.mark.parametrize(
    ("path", "value", "sentence"),
    [
        ("camera/focal_mm", 3, "Focal length must be at least 8 mm; it was 3."),
        ("camera/focal_mm", "wide", "Focal length must be a number; ‘wide’ is not one."),
        ("camera/focal_mm", float("nan"), "Focal length must be an ordinary number."),
        ("lights/key/strength_stops", 99, "Strength must be at most 12 stops; it was 99."),
        ("move/frames", 2.5, "Frames must be a whole number; it was 2.5."),
        ("move/frames", 0, "Frames must be at least 1 frames; it was 0."),
        ("camera_id", "nobody", "There is no camera ‘nobody’ in this project."),
        ("name", "", "Name must not be empty."),
        ("move/kind", "wobble", "Kind must be one of 'orbit', 'spin' or 'hold'; it was ‘wobble’."),
    ],
)
def test_messages(path: str, value: object, sentence: str) -> None:
    project = new_project("Test")
    path = path.replace("camera/", f"cameras/{project.camera_id}/")
    with pytest.raises(ChangeError) as error:
        apply_set(project, SetValue.model_construct(kind="set", path=path, value=value))
    assert error.value.sentence == sentence


@pytest.mark.parametrize(
    "path", ["nothing", "lights/nobody/on", "move/frames/x", "id", "lights/key/id", "schema_version"]
)
def test_places_that_cannot_be_set(path: str) -> None:
    with pytest.raises(ChangeError):
        apply_set(new_project("Test"), SetValue(path=path, value=1))


@pytest.mark.parametrize(
    "path",
    ["lights/{key}/strength_stops", "lights/{key}/temperature_k", "camera/focal_mm", "shoot/margin", "move/frames",
     "set/disc/roughness", "environment/sky/turbidity", "camera/f_number", "shoot/passes/wire_px"],
)  # fmt: skip
def test_ranges_are_what_the_document_allows(path: str) -> None:
    """The ends are accepted, what lies just beyond is not."""
    project = new_project("Test")
    place = path.replace("{key}", "key").replace("camera/", f"cameras/{project.camera_id}/")
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
    last = place_of("shoot/to_frame")
    assert (last.least, last.most, last.kind) == (0, None, "whole")
    for path in ("camera/nothing", "look/ev100/more"):
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
    solo = apply_set(project, SetValue(path="lights/fill/solo", value=True))
    assert [light.id for light in solo.lit_lights] == ["fill"]
    cut: Project = apply_set(solo, SetValue(path="shoot/from_frame", value=10))
    cut = apply_set(cut, SetValue(path="shoot/to_frame", value=500))
    assert cut.frame_numbers == range(10, 241)


def test_documents_of_the_first_version_are_brought_up_to_date() -> None:
    """Packed maps become maps by channel, alpha its own map, the background colour moves into the background."""
    data = json.loads(new_project("Old").model_dump_json())
    packed = {"asset": "mr", "name": "", "wrap": "repeat"}
    material = {
        "id": "m", "name": "M", "emission_nit": 300.0, "base_color_map": {"asset": "base", "name": "", "wrap": "clamp"},
        "metal_rough_map": packed, "normal_map": None, "emission_map": None, "opacity_from_base_alpha": True,
    }  # fmt: skip
    environment = {"asset": None, "background": [0.1, 0.2, 0.3]}
    old = {**data, "schema_version": 1, "materials": [material], "environment": environment}
    project = load_project(old)
    m = project.materials[0]
    assert project.schema_version == SCHEMA_VERSION
    assert (m.emission_luminance, m.maps.base_color.asset) == (300, "base")  # type: ignore[union-attr]
    assert (m.maps.specular_roughness.channel, m.maps.base_metalness.channel) == ("g", "b")  # type: ignore[union-attr]
    assert (m.maps.opacity.asset, m.maps.opacity.channel) == ("base", "a")  # type: ignore[union-attr]
    assert project.environment.background.colour == (0.1, 0.2, 0.3)
