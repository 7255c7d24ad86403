"""Surroundings that are edited: what is taken out of a picture is given as a light; nothing else gets lost."""

import math

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from cyclorama.core.kernel import kernel
from cyclorama.core.light.environment import latitude, longitude
from cyclorama.core.light.environment_edit import (
    blur_environment,
    clamp_luminance,
    directions_of,
    lost_illuminance,
    region_at,
    resize_environment,
    solid_angles,
    sun_of,
    without_region,
)
from cyclorama.core.light.studio_environments import directions, panel, studio_picture


@kernel
def _place(x, y, z):  # type: ignore[no-untyped-def]
    return longitude(x, z), latitude(y)


def _whole(picture: np.ndarray) -> np.ndarray:
    return (picture.astype(np.float64) * solid_angles(*picture.shape[:2])[..., None]).sum(axis=(0, 1))


def _with_disc(at: tuple[float, float], radius_deg: float, nit: float, height: int = 256) -> np.ndarray:
    """Grey surroundings of 0.2 with one even disc."""
    y, x = np.mgrid[0:height, 0 : 2 * height] + 0.5
    cosine = directions_of(x / (2 * height), y / height) @ directions_of(np.array(at[0]), np.array(at[1]))
    picture = np.full((height, 2 * height, 3), 0.2, np.float32)
    picture[cosine >= math.cos(math.radians(radius_deg))] = nit
    return picture


def test_pixels_lie_where_the_renderer_looks_for_them() -> None:
    assert solid_angles(64, 128).sum() * 128 == pytest.approx(4 * math.pi)
    for x, y in ((0.1, 0.2), (0.5, 0.5), (0.93, 0.8)):
        d = directions_of(np.array(x), np.array(y))
        assert _place(*d)[0] == pytest.approx(x, abs=1e-5)
        assert _place(*d)[1] == pytest.approx(y, abs=1e-5)


@pytest.mark.parametrize("at", [(0.3, 0.35), (0.001, 0.5), (0.7, 0.12)])
def test_a_light_taken_out_is_worth_what_the_picture_loses(at: tuple[float, float]) -> None:
    """Against the illuminance of an even disc, π L sin² r, less that of what fills it; also over the seam."""
    radius, nit = 9.0, 40.0
    picture = _with_disc(at, radius, nit)
    region = region_at(picture, *at)
    assert region is not None
    after = without_region(picture, region)
    expected = math.pi * (nit - 0.2) * math.sin(math.radians(radius)) ** 2
    assert lost_illuminance(picture, after, region) == pytest.approx(np.full(3, expected), rel=0.01)
    assert after.max() == pytest.approx(0.2, rel=1e-4)
    away = (region.x - at[0] + 0.5) % 1.0 - 0.5
    assert (away, region.y - at[1]) == pytest.approx((0.0, 0.0), abs=0.004)
    # a disc of the same second moments as a square
    assert region.across_deg == pytest.approx(region.down_deg, rel=0.05)
    assert region.across_deg == pytest.approx(2 * radius * math.sqrt(3) / 2, rel=0.05)


def test_the_soft_rim_of_a_light_goes_with_it_and_even_surroundings_have_none() -> None:
    azimuth, elevation = directions(256)
    picture = np.repeat((0.1 + 6 * panel(azimuth, elevation, (40, 20), (30, 30), 4.0))[..., None], 3, axis=2)
    x, y = sun_of(picture)
    region = region_at(picture, x, y)
    assert region is not None
    assert without_region(picture, region).max() < 0.11
    softbox = studio_picture("one softbox", 256)
    region = region_at(softbox, *sun_of(softbox))
    assert region is not None
    assert without_region(softbox, region).max() < 0.05  # also where it is drawn out towards the pole
    assert region_at(np.full((32, 64, 3), 0.5, np.float32), 0.5, 0.5) is None
    assert region_at(np.zeros((1, 1, 3), np.float32), 0.5, 0.5) is None


def test_a_blur_keeps_the_light_and_is_as_wide_as_told_also_at_the_pole() -> None:
    for at in ((0.4, 0.5), (0.2, 0.03)):
        picture = _with_disc(at, 3.0, 100.0) - 0.2
        after = blur_environment(picture, 8.0)
        assert _whole(after) == pytest.approx(_whole(picture), rel=1e-6)
        y, x = np.mgrid[0:256, 0:512] + 0.5
        cosine = np.clip(directions_of(x / 512, y / 256) @ directions_of(np.array(at[0]), np.array(at[1])), -1, 1)
        share = after[..., 1] * solid_angles(256, 512)
        # ⟨1 − cos⟩ of a Gaussian of variance σ² on each axis of the sphere's plane: σ², and that of the disc itself
        spread = float((share * (1 - cosine)).sum() / share.sum())
        wide = math.radians(8.0) ** 2 + (1 - math.cos(math.radians(3.0))) / 2
        assert spread == pytest.approx(wide, rel=0.12)


def test_holding_tells_what_it_costs_and_another_size_costs_nothing() -> None:
    picture = _with_disc((0.6, 0.4), 2.0, 5000.0)
    after, cost = clamp_luminance(picture, 100.0)
    assert after.max() == pytest.approx(100.0, rel=1e-5)
    assert cost == pytest.approx(1 - _whole(after)[1] / _whole(picture)[1])
    sky = studio_picture("dusk", 256)
    assert _whole(resize_environment(sky, 64)) == pytest.approx(_whole(sky), rel=2e-3)
    assert resize_environment(sky, 512).shape == (512, 1024, 3)


def test_a_picture_turned_in_space_has_its_region_turned() -> None:
    region = region_at(_with_disc((0.25, 0.3), 5.0, 10.0), 0.25, 0.3)
    assert region is not None
    turned = Rotation.from_euler("y", -90, degrees=True).apply(region.towards)
    moved = region_at(_with_disc((0.5, 0.3), 5.0, 10.0), 0.5, 0.3)
    assert moved is not None
    assert moved.towards == pytest.approx(turned, abs=0.01)
