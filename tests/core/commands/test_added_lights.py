"""Lights that are added to a look."""

from typing import get_args

import numpy as np
import pytest
from tests.core.commands.test_looks import shine
from tests.core.commands.test_moves_and_keys import measures_of, with_box
from tests.core.review.test_call_sheet import Blind, SomeEye

from cyclorama.core.commands.lights import BESIDE_STOPS, AddLight
from cyclorama.core.commands.looks import ApplyRig, subject_size
from cyclorama.core.commands.perform import perform
from cyclorama.core.commands.tools import Tools
from cyclorama.core.commands.values import SetValue
from cyclorama.core.light.kinds import KINDS
from cyclorama.core.light.rigs import rig_lights
from cyclorama.core.scene import Light, Project, put
from cyclorama.core.scene.light import PowerUnit, Shape

EYE = SomeEye()


def added(project: Project, shape: Shape) -> Light:
    after, _ = perform(project, AddLight(shape=shape), measures_of, EYE)
    return after.look.lights[-1]


def towards_the_subject(light: Light) -> float:
    """Intensity along the axis, cd, at 0 stops: L A."""
    kind = KINDS[light.shape]
    return kind.luminance_nit(light, light.power) * kind.area_m2(light) * kind.seen_share


def test_lights_out_leaves_the_exposure_for_light_after_light() -> None:
    project = put(with_box(), "look/tone/ev100", 7.25)
    dark, _ = perform(project, ApplyRig(rig="lights out"), measures_of, Blind())
    assert dark.look.lights == ()
    assert not dark.look.environment.on
    assert dark.look.tone.ev100 == 7.25
    assert dark.look.background == project.look.background


@pytest.mark.parametrize("size_m", [0.02, 3.0])
def test_the_first_light_is_the_key_of_a_rig(size_m: float) -> None:
    project = with_box()
    made = {f"items/{project.items[0].id}/made/{side}_m": size_m for side in ("width", "depth", "height")}
    for path, value in made.items():
        project, _ = perform(project, SetValue(path=path, value=value), measures_of, EYE)
    dark, _ = perform(project, ApplyRig(rig="lights out"), measures_of, EYE)
    light = added(dark, "rectangle")
    size, aim = subject_size(dark, Tools(measures_of, EYE))
    assert size == pytest.approx(size_m)
    key = rig_lights("three-point", size, aim)[0]
    where = ("aim", "azimuth_deg", "elevation_deg", "distance_m", "width_m", "height_m", "role")
    assert [getattr(light, name) for name in where] == [getattr(key, name) for name in where]
    assert towards_the_subject(light) == pytest.approx(towards_the_subject(key), rel=1e-3)


@pytest.mark.parametrize("unit", get_args(PowerUnit))
@pytest.mark.parametrize("shape", [shape for shape, kind in KINDS.items() if not kind.distant])
def test_a_light_gives_the_subject_what_the_one_beside_it_gives(unit: PowerUnit, shape: Shape) -> None:
    near = Light(id="near", name="Near", shape="disc", power=640.0, power_unit=unit, distance_m=1.7, width_m=0.5)
    light = added(put(with_box(), "look/lights", (near,)), shape)
    assert light.strength_stops == BESIDE_STOPS
    assert light.distance_m == near.distance_m
    assert towards_the_subject(light) == pytest.approx(towards_the_subject(near), rel=1e-3)


def test_no_size_is_taken_from_a_sun() -> None:
    sun = Light(id="sun", name="Sun", shape="sun", distance_m=5000.0, width_m=50.0, power=90_000.0, power_unit="lx")
    light = added(put(with_box(), "look/lights", (sun,)), "rectangle")
    assert light.distance_m < 10.0
    assert shine((light,), np.zeros(3)) < 90_000.0
