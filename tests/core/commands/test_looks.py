"""Rigs in the size of what they light, and materials that parts are dressed in."""

import re

import numpy as np
import pytest
from tests.conftest import always
from tests.core.commands.test_moves_and_keys import done, measures_of, with_box
from tests.core.review.test_call_sheet import Blind, SomeEye

from cyclorama.core.commands.colourways import AddColourway, ShotEachColourway, WearColourway
from cyclorama.core.commands.keys import SetKey
from cyclorama.core.commands.light_places import EvenLights
from cyclorama.core.commands.lists import Remove
from cyclorama.core.commands.looks import AddLook, ApplyRig, Dress, Dressed, RemoveUnworn, UseRig, rig_from_look
from cyclorama.core.commands.made_items import AddItem
from cyclorama.core.commands.perform import perform
from cyclorama.core.commands.tools import Tools
from cyclorama.core.commands.values import SetValue
from cyclorama.core.errors import ChangeError
from cyclorama.core.light.rigs import LIT_RIGS, resize_rig, rig_lights
from cyclorama.core.light.rows import direction, face_area_m2, light_row, luminance_nit
from cyclorama.core.light.standing import outline
from cyclorama.core.material.presets import PRESETS
from cyclorama.core.scene import Aim, Light, Project, load_project, new_project, put
from cyclorama.core.scene.saved_rig import ReadyRig

RIGS = LIT_RIGS


def test_a_background_that_is_chosen_is_seen() -> None:
    """It is not hidden by the environment any more, unless keys say when that is seen."""
    project = put(new_project("Test"), "look/environment/seen_by_camera", True)
    choose = SetValue(path="look/background/kind", value="radial")
    assert not perform(project, choose, always(None), Blind())[0].look.environment.seen_by_camera
    seen = SetKey(path="look/environment/seen_by_camera", frame=1, value=True)
    keyed = perform(project, seen, always(None), Blind())[0]
    assert perform(keyed, choose, always(None), Blind())[0].look.environment.seen_by_camera


def shine(lights: tuple[Light, ...], at: np.ndarray) -> float:
    """Illuminance about which small or far lights give to a place that faces each: L · A / d²."""
    return sum(luminance_nit(x) * face_area_m2(x) / float(np.sum((_centre(x) - at) ** 2)) for x in lights)


def _centre(light: Light) -> np.ndarray:
    aim = np.array([light.aim.x_m, light.aim.y_m, light.aim.z_m])
    return aim + light.distance_m * direction(light.azimuth_deg, light.elevation_deg)


@pytest.mark.parametrize("rig", RIGS)
def test_a_rig_lights_what_is_of_another_size_alike(rig: ReadyRig) -> None:
    small, large = (rig_lights(rig, size, Aim(x_m=0.0, y_m=size / 2, z_m=0.0)) for size in (0.04, 12.0))
    assert len({x.name for x in small}) == len({x.id for x in small}) == len(small) >= 2
    for share in (np.array([0.2, 0.9, 0.1]), np.array([-0.3, 0.1, 0.2])):
        assert shine(large, 12.0 * share) == pytest.approx(shine(small, 0.04 * share), rel=1e-6)
    assert all(x.distance_m > 0.5 * 0.04 for x in small)  # none stands in the subject
    low = rig_lights(rig, 2.0, Aim(x_m=0.0, y_m=0.4, z_m=0.0))
    faces = [outline(light_row(x, np.array([0.0, 0.4, 0.0]), 0.0)) for x in low]
    assert min(points[:, 1].min() for points in faces) > -1e-6  # nor in the floor


def test_flux_and_intensity_grow_with_what_is_lit() -> None:
    lights = tuple(
        Light(id=unit, name=unit, power=90.0, power_unit=unit, distance_m=2.0) for unit in ("lm", "cd", "nit", "lx")
    )
    aim = np.array([0.0, 0.5, 0.0])
    for before, after in zip(lights, resize_rig(lights, 3.0), strict=True):
        assert shine((after,), aim) == pytest.approx(shine((before,), aim), rel=1e-9)


def test_a_rig_takes_the_place_of_the_lights_and_exposes_for_the_subject() -> None:
    project = done(with_box(), SetKey(path="look/lights/key/strength_stops", frame=1, value=1.0))
    lit, label = perform(project, ApplyRig(rig="dark field"), measures_of, SomeEye())
    assert label == "Rig: dark field"
    assert lit.look.tone.ev100 == pytest.approx(9.12)  # as the eye meters
    assert max(lit.look.background.colour) < 0.01
    assert not lit.look.environment.on
    assert lit.shot.channels == ()  # what was keyed of lights that are gone
    assert load_project(lit.model_dump_json()) == lit
    middle = lit.look.lights[0].aim
    box = lit.items[0]
    assert box.made
    assert middle.x_m == pytest.approx(box.placement.x_m, abs=1e-4)
    assert middle.y_m == pytest.approx(box.placement.lift_m + box.made.height_m / 2, abs=1e-4)
    unmetered = perform(project, ApplyRig(rig="tent"), measures_of, Blind())[0]
    assert unmetered.look.tone == project.look.tone


def test_a_kept_rig_grows_with_the_subject() -> None:
    project = done(with_box(), ApplyRig(rig="two strips"))
    rig = rig_from_look(project, "Mine", Tools(measures_of, Blind()))
    item = project.items[0]
    larger = done(
        project,
        *(
            SetValue(path=f"items/{item.id}/made/{n}_m", value=3 * getattr(item.made, f"{n}_m"))
            for n in ("width", "depth", "height")
        ),
    )
    used = done(larger, UseRig(rig=rig))
    assert [x.distance_m for x in used.look.lights] == pytest.approx([3 * x.distance_m for x in project.look.lights])
    assert used.look.lights[0].aim.y_m > 2 * project.look.lights[0].aim.y_m
    again = rig_from_look(used, "Mine", Tools(measures_of, Blind()))
    assert again.size_m == pytest.approx(3 * rig.size_m)
    dark = put(project, "look/lights", ())
    with pytest.raises(ChangeError, match="no lights"):
        rig_from_look(dark, "None", Tools(always(None), Blind()))


def parts_of(project: Project) -> list[Dressed]:
    return [Dressed(item=item.id, part=part.id) for item in project.items for part in item.parts]


def test_parts_are_dressed_once_and_what_nothing_wears_is_removed() -> None:
    project = done(with_box(), AddItem(form="ball"))
    first, second = parts_of(project)
    once = done(project, Dress(preset="Polished gold", parts=(first,)))
    assert [m.name for m in once.materials][-1] == "Polished gold"
    gold = once.materials[-1]
    assert (gold.base_metalness, gold.base_color) == (1.0, PRESETS["Polished gold"]["base_color"])
    twice = done(once, Dress(preset="Polished gold", parts=(second,)))
    assert twice.materials == once.materials  # the gold that is there is worn
    assert {w.material for x in twice.items for v in x.variants for w in v.parts} == {gold.id}
    changed = done(once, SetValue(path=f"materials/{gold.id}/specular_roughness", value=0.5))
    other = done(changed, Dress(preset="Polished gold", parts=(second,)))
    assert other.materials[-1].name == "Polished gold 2"  # that one is not what it was made as any more
    keyed = done(twice, SetKey(path=f"materials/{project.materials[0].id}/base_metalness", frame=1, value=0.5))
    left = done(keyed, RemoveUnworn())
    assert left.materials == (gold,)
    assert left.shot.channels == ()
    with pytest.raises(ChangeError, match="Every material is worn"):
        done(left, RemoveUnworn())
    with pytest.raises(ChangeError, match="no material called"):
        done(left, Dress(preset="Unobtainium", parts=(first,)))
    with pytest.raises(ChangeError, match="not there any more"):
        done(left, Dress(preset="Polished gold", parts=(Dressed(item="item-9", part="part-1"),)))


def test_a_new_look_leaves_the_old_one_as_it_is() -> None:
    strength = "look/lights/key/strength_stops"
    project = done(with_box(), SetKey(path=strength, frame=1, value=1.0), SetKey(path=strength, frame=9, value=2.0))
    old = project.look
    more = done(project, AddLook())
    assert (more.look.name, more.look.id != old.id, len(more.looks)) == ("Look 2", True, 2)
    assert more.look.model_copy(update={"id": old.id, "name": old.name}) == old
    assert [c.path for c in more.shot.channels] == [f"looks/{more.look.id}/lights/key/strength_stops"]
    tried = done(more, ApplyRig(rig="night"))
    assert tried.looks[0] == old
    back = done(tried, SetValue(path="shot/look_id", value=old.id))
    assert back.look == old


def test_colourways_are_made_worn_shot_and_removed() -> None:
    project = done(with_box(), AddItem(form="ball"))
    box = project.items[0]
    (part,) = box.parts
    first = box.variants[0].parts[0].material
    more = done(
        project, AddColourway(item=box.id), Dress(preset="Ceramic", parts=(Dressed(item=box.id, part=part.id),))
    )
    one, other = more.items[0].variants
    assert (one.parts[0].material, more.items[0].variant_id) == (first, other.id)
    assert other.parts[0].material == more.materials[-1].id
    with pytest.raises(ChangeError, match="only one colourway"):
        done(more, ShotEachColourway(item=more.items[1].id))
    shots = done(more, ShotEachColourway(item=box.id))
    assert [[(w.id, w.variant) for w in s.wears] for s in shots.shots] == [[], [(box.id, one.id)]]
    assert shots.shots[1].name.endswith(one.name)
    # in one of several shots it is worn there alone
    worn = done(shots, WearColourway(item=box.id, variant=one.id))
    assert (worn.items[0].variant_id, worn.shot.wears[0].variant) == (other.id, one.id)
    gone = done(worn, Remove(path=f"items/{box.id}/variants/{other.id}"))
    assert [v.id for v in gone.items[0].variants] == [one.id] == [gone.items[0].variant_id]
    with pytest.raises(ChangeError, match="must wear something"):
        done(gone, Remove(path=f"items/{box.id}/variants/{one.id}"))


def test_lights_are_set_so_that_the_move_is_even() -> None:
    project = done(with_box(), SetValue(path="look/lights/rim/on", value=False))
    after, label = perform(project, EvenLights(), measures_of, SomeEye())
    was, now = ([x.strength_stops for x in p.look.lights] for p in (project, after))
    assert now[0] < was[0]
    assert now[1] > was[1]
    assert now[2] == was[2]  # it is off
    before, evener = (float(x) for x in re.findall(r"\u00b1([\d.]+)", label))
    assert evener < before
    keyed = done(project, *(SetKey(path=f"look/lights/{x}/strength_stops", frame=1) for x in ("key", "fill")))
    with pytest.raises(ChangeError, match="take its keys away"):
        perform(keyed, EvenLights(), measures_of, SomeEye())
    with pytest.raises(ChangeError, match="not seen"):
        perform(project, EvenLights(), measures_of, Blind())
