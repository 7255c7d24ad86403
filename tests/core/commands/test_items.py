"""Things on the set: made shapes, copies, what rides on what, and what goes with what is taken away."""

import numpy as np
import pytest
from tests.conftest import always, edited, sphere
from tests.core.review.test_call_sheet import Blind, SomeEye, arrival
from tests.moving_models import still

from cyclorama.core.commands import Command, perform
from cyclorama.core.commands.keys import SetKey, value_in_frame
from cyclorama.core.commands.lists import Copy, MoveTo, Remove
from cyclorama.core.commands.made_items import AddItem, measure_made_item
from cyclorama.core.commands.place_model import put_beside, put_on_set
from cyclorama.core.commands.shots import Travel
from cyclorama.core.commands.standing import StandOnFloor
from cyclorama.core.commands.values import SetValue
from cyclorama.core.errors import ChangeError
from cyclorama.core.geometry.intake import take_in
from cyclorama.core.geometry.measure import Measures, gap_m, measure, placed_hull
from cyclorama.core.geometry.mesh import face_normals
from cyclorama.core.geometry.primitives import build_made, made_box
from cyclorama.core.motion import stand_height_m
from cyclorama.core.review import review, stations
from cyclorama.core.scene import (
    Aim,
    Item,
    Made,
    Project,
    Row,
    Segment,
    Variant,
    Wears,
    load_project,
    new_project,
    value_at,
)
from cyclorama.core.scene.made import Form

BALL = arrival(0.4)


def measures_of(item: Item) -> Measures | None:
    return measure_made_item(item.made) if item.made else BALL.measures


def done(project: Project, *changes: Command) -> Project:
    for change in changes:
        project = perform(project, change, measures_of, Blind())[0]
        assert load_project(project.model_dump_json()) == project
    return project


def studio() -> Project:
    return put_on_set(new_project("Test"), BALL, SomeEye())


def gap(project: Project, item: Item) -> float:
    measures = measures_of(item)
    assert measures is not None
    return gap_m(measures, item.placement, stand_height_m(project, item))


@pytest.mark.parametrize("form", ["plinth", "box", "ball", "card"])
@pytest.mark.parametrize("edge", [0.0, 0.02, 1.0])
def test_made_shapes_are_as_large_as_told_closed_and_face_outwards(form: Form, edge: float) -> None:
    """The volume by the divergence theorem against closed forms, where edges are sharp."""
    made = Made(form=form, width_m=0.6, depth_m=0.4, height_m=0.5, edge_m=edge)
    mesh = build_made(made)
    low, high = mesh.vertices.min(axis=0), mesh.vertices.max(axis=0)
    assert np.array([low, high]) == pytest.approx(made_box(made), abs=2e-4)
    corners = mesh.vertices[mesh.triangles].astype(float)
    volume = np.einsum("ti,ti->", corners[:, 0], np.cross(corners[:, 1], corners[:, 2])) / 6
    thick = 0.6 / 50
    exact = {
        "plinth": np.pi / 4 * 0.6 * 0.4 * 0.5,
        "box": 0.6 * 0.4 * 0.5,
        "card": 0.6 * 0.5 * thick,
        "ball": np.pi / 6 * 0.6 * 0.4 * 0.5,
    }[form]
    assert volume == pytest.approx(exact, rel=2e-3) if edge == 0 or form in ("ball", "card") else 0 < volume < exact
    # every edge belongs to two faces, once in each direction: nothing is open, nothing is turned round
    places = np.unique(mesh.vertices.round(7), axis=0, return_inverse=True)[1].ravel()[mesh.triangles]
    places = places[(places != np.roll(places, 1, axis=1)).all(axis=1)]
    edges = np.concatenate([places[:, [i, (i + 1) % 3]] for i in range(3)])
    there, back = ({tuple(e) for e in way.tolist()} for way in (edges, edges[:, ::-1]))
    assert there == back
    flat = face_normals(mesh.vertices, mesh.triangles)
    flat /= np.linalg.norm(flat, axis=1, keepdims=True)
    shaded = mesh.normals[mesh.triangles].mean(axis=1)
    assert (flat * shaded).sum(axis=1).min() > 0.5


def test_a_plinth_comes_under_the_subject_and_carries_it() -> None:
    before = studio()
    project = done(before, AddItem(form="plinth"))
    ball, plinth = project.items
    assert plinth.made is not None
    assert (ball.rides, plinth.rides) == (plinth.id, "disc")
    assert [abs(gap(project, x)) < 1e-9 for x in project.items] == [True, True]
    assert ball.placement.lift_m - before.items[0].placement.lift_m == pytest.approx(plinth.made.height_m)
    higher = done(project, SetValue(path=f"items/{plinth.id}/made/height_m", value=0.5))
    assert gap(higher, higher.items[0]) == pytest.approx(0, abs=1e-9)
    assert higher.items[0].placement.lift_m > ball.placement.lift_m
    aside = done(higher, SetValue(path=f"items/{plinth.id}/placement/x_m", value=0.3))
    assert aside.items[0].placement.x_m == pytest.approx(0.3)
    lower = done(aside, SetValue(path="set/disc/on", value=False))
    assert [abs(gap(lower, x)) < 1e-9 for x in lower.items] == [True, True]
    down = done(lower, Remove(path=f"items/{plinth.id}"))
    assert [x.id for x in down.items] == [ball.id]
    assert down.items[0].rides == "disc"
    assert gap(down, down.items[0]) == pytest.approx(0, abs=1e-9)
    assert down.materials == before.materials  # what only the plinth wore went with it


def test_riders_come_onto_their_item_and_keep_their_place() -> None:
    """Chosen as what it rides on, a plinth far away gets the ball in the middle of its top; moved, turned by 90°,
    twice its size or lifted, it takes the ball along: from 5 cm right of its middle to 10 cm behind it."""
    made = done(studio(), AddItem(form="box"))
    block = made.items[1]
    far = done(made, SetValue(path=f"items/{block.id}/placement/x_m", value=3.0))
    on = done(far, SetValue(path="subject/rides", value=block.id))
    ball = on.items[0]
    assert (ball.placement.x_m, ball.placement.z_m) == pytest.approx((3.0, block.placement.z_m))
    assert gap(on, ball) == pytest.approx(0, abs=1e-9)
    path = f"items/{block.id}/placement"
    moved = done(
        done(on, SetValue(path="subject/placement/x_m", value=3.05)),
        SetValue(path=f"{path}/x_m", value=1.0),
        SetValue(path=f"{path}/turn_deg", value=90.0),
        SetValue(path=f"{path}/scale", value=2.0),
        SetValue(path=f"{path}/lift_m", value=0.4),
    )
    ball = moved.items[0]
    assert (ball.placement.x_m, ball.placement.z_m) == pytest.approx((1.0, block.placement.z_m - 0.1))
    assert ball.placement.turn_deg == pytest.approx(90.0)
    assert gap(moved, ball) == pytest.approx(0, abs=1e-9)


def test_hanging_items_are_told() -> None:
    project = done(studio(), AddItem(form="box"), AddItem(form="ball"))
    block, bauble = project.items[1:]
    on = done(project, SetValue(path=f"items/{bauble.id}/rides", value=block.id))

    def hints(p: Project) -> tuple[str, ...]:
        return next(s for s in stations(review(p, None)) if s.key == "set").hints

    assert not any("air" in h or "floats" in h for h in hints(on))
    at = f"items/{bauble.id}/placement"
    beside = done(on, SetValue(path=f"{at}/x_m", value=9.0))
    assert f"‘{bauble.name}’ hangs in the air beside ‘{block.name}’. Move it over ‘{block.name}’." in hints(beside)
    lift = value_at(on, f"{at}/lift_m") + 0.25
    above = done(on, SetValue(path=f"{at}/lift_m", value=lift))
    assert any(h.startswith(f"‘{bauble.name}’ floats 250 mm above ‘{block.name}’.") for h in hints(above))


def test_floating_items_stay_where_they_float() -> None:
    project = done(studio(), SetValue(path="subject/placement/lift_m", value=0.9), AddItem(form="plinth"))
    plinth = project.items[1]
    assert project.items[0].placement.lift_m == 0.9
    stood = done(project, StandOnFloor())
    assert gap(stood, stood.items[0]) == pytest.approx(0, abs=1e-9)
    floating = done(stood, SetValue(path="subject/placement/lift_m", value=2.0))
    higher = done(floating, SetValue(path=f"items/{plinth.id}/made/height_m", value=0.5))
    assert higher.items[0].placement.lift_m == 2.0


def test_scaled_and_tipped_it_stands_and_turns_about_its_own_axis_where_it_is() -> None:
    values = (("x_m", 0.7), ("scale", 2.0), ("tip_deg", 40.0))
    project = done(studio(), *(SetValue(path=f"subject/placement/{name}", value=value) for name, value in values))
    (ball,) = project.items
    hull = placed_hull(BALL.measures, ball.placement)
    assert np.ptp(hull, axis=0) == pytest.approx([0.8] * 3, rel=0.02)
    assert (hull.min(axis=0) + hull.max(axis=0))[[0, 2]] / 2 == pytest.approx([0.7, 0.0], abs=1e-9)
    assert gap(project, ball) == pytest.approx(0, abs=1e-9)


def test_correcting_the_unit_brings_the_studio_along() -> None:
    """A model that came in a thousand times too large: with the right unit everything is a thousandth, keys too, and
    the picture, its light and its margins are what they were. Beside another model only the model itself changes."""
    before = done(
        studio(),
        SetValue(path="subject/placement/x_m", value=0.2),
        AddItem(form="plinth"),
        SetKey(path="camera/distance_m", frame=1, value=2.0),
        SetKey(path="camera/distance_m", frame=25, value=3.0),
        SetValue(path="camera/focus_m", value=1.5),
    )
    unit = before.items[0].placement.unit_m
    after = done(before, SetValue(path="subject/placement/unit_m", value=unit / 1000))
    for path in (
        "camera/focus_m",
        "set/sweep/width_m",
        "set/disc/radius_m",
        "look/lights/key/distance_m",
        "look/lights/key/width_m",
        f"items/{before.items[1].id}/made/height_m",
    ):
        then, now = (value_in_frame(project, path, 1) for project in (before, after))
        assert now == pytest.approx(then / 1000)
    assert value_in_frame(after, "camera/distance_m", 13) == pytest.approx(
        value_in_frame(before, "camera/distance_m", 13) / 1000
    )
    light = [x.look.lights[0] for x in (before, after)]
    assert light[1].power / light[1].distance_m ** 2 == pytest.approx(light[0].power / light[0].distance_m ** 2)
    assert [abs(gap(after, x)) < 1e-9 for x in after.items] == [True, True]
    hulls = [placed_hull(BALL.measures, x.items[0].placement) for x in (before, after)]
    assert hulls[1] == pytest.approx(hulls[0] / 1000, abs=1e-9)
    assert after.items[0].placement.lift_m == pytest.approx(before.items[0].placement.lift_m / 1000)
    two = done(studio(), Copy(path="subject"))
    alone = done(two, SetValue(path="subject/placement/unit_m", value=unit / 10))
    assert (alone.set, alone.looks, alone.cameras) == (two.set, two.looks, two.cameras)


def test_copies_stand_beside_with_ids_of_their_own() -> None:
    project = done(studio(), Copy(path="subject"), Copy(path="subject"))
    assert [x.name for x in project.items] == ["Ball", "Ball 3", "Ball 2"]
    assert len({p.id for x in project.items for p in x.parts}) == 3
    spans = [placed_hull(BALL.measures, x.placement)[:, 0] for x in project.items]
    first, newest, older = ((float(s.min()), float(s.max())) for s in spans)
    assert first[1] < older[0] < older[1] < newest[0]  # the second copy does not stand in the first
    looks = done(project, Copy(path="look"), Copy(path="camera"), Copy(path="shot"))
    assert [x.name for x in looks.looks] == ["Look 1", "Look 2"]
    assert looks.looks[1].lights == looks.looks[0].lights
    assert [len(x) for x in (looks.cameras, looks.shots)] == [2, 2]
    swapped = done(looks, MoveTo(path=f"looks/{looks.looks[1].id}", to=0))
    assert [x.id for x in swapped.looks] == [x.id for x in reversed(looks.looks)]
    with pytest.raises(ChangeError, match="cannot be copied"):
        done(project, Copy(path=f"materials/{project.materials[0].id}"))


def test_taking_away_takes_along_or_refuses_in_a_sentence() -> None:
    project = done(studio(), AddItem(form="ball"))
    thing = project.items[1]
    night = Variant(id="night", name="Night", parts=thing.variant.parts)
    own = Row(id=thing.id, segments=(Segment(id="s", kind="spin"),))
    used = edited(
        project,
        {
            f"items/{thing.id}/variants": (*thing.variants, night),
            "shot/wears": (Wears(id=thing.id, variant="night"),),
            "shot/rows": (*project.shot.rows, own),
            "camera/focus_item": thing.id,
            "camera/focus_point_m": (0, 0, 0),
        },
    )
    gone = done(used, Remove(path=f"items/{thing.id}"))
    assert (gone.shot.wears, gone.shot.rows, gone.camera.focus_item) == ((), project.shot.rows, None)
    aimed = edited(used, {"look/lights/key/aim": Aim(item=thing.id)})
    with pytest.raises(ChangeError, match="‘Ball 2’ cannot be removed: The light ‘Key’ aims at an item"):
        done(aimed, Remove(path=f"items/{thing.id}"))
    assert done(project, Remove(path="subject")).subject is None
    for path in ("camera", "look", "shot"):
        with pytest.raises(ChangeError, match=r"cannot be removed: \w+: there must be at least 1\."):
            done(project, Remove(path=path))
    second = done(project, Copy(path="camera"))
    with pytest.raises(ChangeError, match=r"There is no camera ‘.*’ in this project, which ‘Orbit’ is shot through"):
        done(second, Remove(path="camera"))
    two = done(project, Copy(path="shot"))
    left = done(two, Remove(path="shot"))
    assert [s.id for s in left.shots] == [left.shot_id] != [two.shot_id]
    with pytest.raises(ChangeError, match="refers to a material"):
        done(project, Remove(path=f"materials/{project.materials[0].id}"))
    with pytest.raises(ChangeError, match="not there any more"):
        done(project, Remove(path="look/lights/nobody"))


def test_nothing_rides_on_itself_or_on_nothing() -> None:
    project = done(studio(), AddItem(form="plinth"))
    ball, plinth = project.items
    for path, value, sentence in (
        (f"items/{plinth.id}/rides", ball.id, "cannot ride on what rides on itself"),
        (f"items/{plinth.id}/rides", plinth.id, "cannot ride on what rides on itself"),
        ("subject/rides", "nobody", "rides on an item that is not in this project"),
        ("subject/variant_id", "nobody", "has no colourway ‘nobody’"),
        ("subject_id", "nobody", "There is no item ‘nobody’"),
    ):
        with pytest.raises(ChangeError, match=sentence):
            done(project, SetValue(path=path, value=value))


def test_another_model_stands_beside_and_shares_no_ids() -> None:
    """Its parts and materials have the ids of the first one's in its own file; what lights spare stays apart."""
    project = studio()
    again = take_in({"ball.glb": still(sphere(0.1, 32))})
    both = put_beside(project, again, always(BALL.measures))
    assert load_project(both.model_dump_json()) == both
    assert (both.subject, both.looks, both.shots) == (project.subject, project.looks, project.shots)
    one, other = both.items
    assert {p.id for p in one.parts}.isdisjoint(p.id for p in other.parts)
    assert {w.material for w in one.variant.parts}.isdisjoint(w.material for w in other.variant.parts)
    assert (
        placed_hull(again.measures, other.placement)[:, 0].min() > placed_hull(BALL.measures, one.placement)[:, 0].max()
    )
    assert gap_m(again.measures, other.placement, 0.0) == pytest.approx(0, abs=1e-9)
    # another model for the subject leaves the other item what it wears
    third = put_on_set(both, take_in({"other.glb": still(sphere(0.3, 32))}), Blind())
    assert third.items[1] == other
    assert {w.material for w in other.variant.parts} <= {m.id for m in third.materials}
    assert third.items[0].id == one.id


def test_the_move_is_chosen_and_says_when_it_does_not_close() -> None:
    project = done(studio(), Travel(move="spin"))
    assert (project.shot.name, [r.id for r in project.shot.rows]) == ("Spin", ["disc"])
    half = done(project, SetValue(path="shot/move/turns", value=-1.5))
    named = edited(half, shot__name="Reveal")
    back = done(named, Travel(move="orbit"))
    assert (back.shot.name, back.shot.rows[0].segments[0].turns) == ("Reveal", -1.5)
    assert review(half, BALL.measures).margins is not None
    boxy = measure(build_made(Made()))
    assert len(boxy.hull) > 8
