"""Haze from the Set card, and what the call sheet says of it."""

import math

import numpy as np
import pytest
from tests.conftest import always, edited
from tests.core.review.test_call_sheet import MEASURES, SomeEye, odd, sheet, with_ball
from tests.core.review.test_fixes import mended, sound

from cyclorama.core.commands.haze import SetHaze
from cyclorama.core.commands.perform import perform
from cyclorama.core.errors import ChangeError
from cyclorama.core.light.haze import passing_share
from cyclorama.core.scene import Channel, Key, Project
from cyclorama.core.scene.haze import Haze, Thickness


def hazed(project: Project, thickness: Thickness) -> Project:
    return perform(project, SetHaze(thickness=thickness), always(MEASURES), SomeEye())[0]


@pytest.mark.parametrize("distance_m", [0.2, 5.0])
def test_thickness_goes_by_the_distance_of_the_camera(distance_m: float) -> None:
    """Large and small sets look alike; a size that was set stays when another thickness is chosen."""
    project = edited(with_ball(), camera__distance_m=distance_m)
    for thickness, passing in (
        ("thin", math.exp(-1 / 12)),
        ("studio", math.exp(-1 / 4)),
        ("thick", math.exp(-1 / 1.5)),
    ):
        haze = hazed(project, thickness).set.haze  # type: ignore[arg-type]
        assert haze.thickness(distance_m) == thickness
        over = passing_share(haze, np.array([0.0, 0.1, distance_m / 2]), np.array([0.0, 0.1, -distance_m / 2]))
        assert over == pytest.approx(passing, rel=0.01)
    own = edited(hazed(project, "thin"), set__haze__reach_m=3.25)
    thicker = hazed(own, "thick").set.haze
    assert thicker.reach_m == 3.25
    assert thicker.path_m < own.set.haze.path_m
    off, label = perform(own, SetHaze(thickness="off"), always(MEASURES), SomeEye())
    assert (off.set.haze.on, off.set.haze.thickness(distance_m), label) == (False, "off", "Clear haze")
    with pytest.raises(ChangeError, match="no haze"):
        perform(off, SetHaze(thickness="off"), always(MEASURES), SomeEye())


def test_passing_share_on_the_floor_and_in_a_box() -> None:
    floor = Haze(on=True, path_m=2.0, where="floor", height_m=0.5, thinning_m=0.25)
    low, high = np.array([0.0, 0.2, 1.0]), np.array([0.0, 0.2, -1.0])
    assert passing_share(floor, low, high) == pytest.approx(math.exp(-1.0))
    up = np.array([0.0, 0.8, 0.0])
    assert passing_share(floor, low + up, high + up) == pytest.approx(math.exp(-math.exp(-2.0)))
    box = Haze(on=True, path_m=1.0, where="box", box_depth_m=0.5)
    assert passing_share(box, low, high) == pytest.approx(math.exp(-0.5), rel=0.02)
    assert passing_share(Haze(path_m=1.0), low, high) == 1.0


def test_the_shoot_card_says_what_a_shadow_in_alpha_means_for_haze() -> None:
    project = hazed(sound(), "thin")
    assert "Haze" not in odd(project)
    assert "Haze stays only on the subject" in odd(edited(project, shot__shoot__background="shadow"))


def test_the_call_sheet_says_when_haze_hides_the_subject() -> None:
    """In any frame, where it is keyed, too; the button beside it makes it thinner."""
    project = hazed(sound(), "thin")
    assert "thin haze" in sheet(project)["set"].sentence
    assert not sheet(project)["set"].hints
    dense = edited(project, set__haze__path_m=0.3 * project.camera.distance_m)
    hint = next(hint for hint in sheet(dense)["set"].hints if "Haze" in hint)
    assert "96% of the subject's light" in hint
    assert not sheet(mended(dense, sheet(dense)["set"].fixes[hint]))["set"].hints
    keys = (Key(id="a", frame=0, value=(12.0,)), Key(id="b", frame=100, value=(0.1,)))
    keyed = edited(project, shot__channels=(Channel(id="c", path="set/haze/path_m", keys=keys),))
    hints = sheet(keyed)["set"]
    assert any("Haze" in hint for hint in hints.hints)
    assert not hints.fixes
