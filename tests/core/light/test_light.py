"""Photometry: colour temperature, flux, and environment sampling."""

import math
from typing import get_args

import numpy as np
import pytest

from cyclorama.core.colour_temperature import planckian_xy, temperature_to_rgb, white_balance_rgb, white_of
from cyclorama.core.kernel import kernel
from cyclorama.core.light.clouds import passing
from cyclorama.core.light.direction_bins import ANY_WAY, bin_directions
from cyclorama.core.light.environment import (
    build_environment,
    draw_place,
    environment_at,
    environment_from,
    environment_turn,
    latitude,
    longitude,
)
from cyclorama.core.light.kinds import BY_KERNEL, KINDS, fields_of
from cyclorama.core.light.masks import LOOP, mask
from cyclorama.core.light.rows import light_row, luminance_nit
from cyclorama.core.light.shapes import REACH
from cyclorama.core.light.sky import sky_picture, sun_direction, sun_illuminance_lx
from cyclorama.core.render.trace.surface import turn_back
from cyclorama.core.scene import Light, Sky
from cyclorama.core.scene.light import Shape


@pytest.mark.parametrize(
    ("kelvin", "x", "y"),
    [(2856, 0.4476, 0.4074), (4000, 0.3805, 0.3768), (6500, 0.3135, 0.3237), (10000, 0.2807, 0.2884)],
)
def test_black_body_chromaticities(kelvin: float, x: float, y: float) -> None:
    """Published chromaticities of the Planckian locus (Wyszecki and Stiles, table 1(3.3.8))."""
    assert planckian_xy(kelvin) == pytest.approx((x, y), abs=1.5e-3)


def test_temperature_at_the_white_balance_is_white() -> None:
    assert temperature_to_rgb(5600) == pytest.approx([1, 1, 1], abs=1e-9)
    warm, cold = temperature_to_rgb(3200), temperature_to_rgb(9000)
    assert warm[0] > warm[1] > warm[2]
    assert cold[0] < cold[1] < cold[2]
    assert float(warm @ (0.2126, 0.7152, 0.0722)) == pytest.approx(1)


def test_tint_runs_from_green_to_magenta_and_balance_takes_colour_away() -> None:
    green, magenta = temperature_to_rgb(5600, tint=-0.5), temperature_to_rgb(5600, tint=0.5)
    assert green[1] > 1 > magenta[1]
    for kelvin, tint in ((3200, 0.0), (9000, 0.0), (4300, 0.4)):
        balanced = temperature_to_rgb(kelvin, tint=tint) * white_balance_rgb(kelvin, tint)
        assert balanced == pytest.approx([balanced[1]] * 3, rel=1e-6)


@pytest.mark.parametrize(("kelvin", "tint"), [(2300, 0.0), (3200, -0.3), (5600, 0.0), (7300, 0.6), (18000, 0.1)])
def test_a_grey_under_any_light_gives_its_balance_back(kelvin: float, tint: float) -> None:
    grey = 40.0 / white_balance_rgb(kelvin, tint)
    assert white_of(grey) == pytest.approx((kelvin, tint), rel=2e-3, abs=2e-3)


@pytest.mark.parametrize("colour", [(0, 0, 0), (1, 0, 0), (0, 1, 0), (0, 0, 1), (math.nan, 1, 1)])
def test_no_balance_makes_these_grey(colour: tuple[float, float, float]) -> None:
    assert white_of(np.array(colour, float)) is None


def test_a_stop_doubles_and_size_keeps_the_flux() -> None:
    one = Light(id="a", name="A", role="key", width_m=0.5, height_m=0.5)
    more = one.model_copy(update={"strength_stops": 1.0})
    wide = one.model_copy(update={"width_m": 1.0})
    assert luminance_nit(more) == 2 * luminance_nit(one)
    assert luminance_nit(wide) == pytest.approx(luminance_nit(one) / 2)
    assert luminance_nit(one) * math.pi * 0.25 == pytest.approx(4000)
    row = light_row(one, np.array([0, 0.5, 0]), 90.0)
    assert row[9:12] @ (row[0:3] - [0, 0.5, 0]) == pytest.approx(-one.distance_m, rel=1e-5)


@pytest.mark.parametrize("shape", ["rectangle", "disc", "sphere", "spot"])
def test_units_agree_along_the_axis(shape: str) -> None:
    """1000 cd, 250 lx at 2 m, and the luminance that the projected area then needs are the same light."""
    light = Light(id="a", name="A", shape=shape, width_m=0.3, height_m=0.3, distance_m=2.0)  # type: ignore[arg-type]
    area = 0.09 if shape == "rectangle" else math.pi * 0.15**2
    values = {"cd": 1000.0, "lx": 250.0, "nit": 1000.0 / area}
    for unit, power in values.items():
        seen = luminance_nit(light.model_copy(update={"power": power, "power_unit": unit}))
        assert seen * area == pytest.approx(1000.0)


def test_the_sun_of_the_sky_is_as_bright_as_its_angle_says() -> None:
    sun = Light(id="s", name="S", shape="sun", sun_deg=0.53, power=100_000, power_unit="lx")
    half = math.radians(0.265)
    assert luminance_nit(sun) * math.pi * math.sin(half) ** 2 == pytest.approx(100_000)
    high, low = Sky(sun_elevation_deg=60), Sky(sun_elevation_deg=5)
    assert 70_000 < sun_illuminance_lx(high) < 110_000
    assert sun_illuminance_lx(low) < 0.5 * sun_illuminance_lx(high)


def test_the_sky_is_blue_above_and_brightest_at_the_sun() -> None:
    sky = Sky(sun_azimuth_deg=90, sun_elevation_deg=40, turbidity=2.5)
    picture = sky_picture(sky)
    h, w = picture.shape[:2]
    assert np.isfinite(picture).all()
    assert picture.min() >= 0
    zenith = picture[2].mean(axis=0)
    assert zenith[2] > 1.3 * zenith[0]
    row, column = np.unravel_index(int(picture[: h // 2].sum(axis=2).argmax()), (h // 2, w))
    phi, theta = ((column + 0.5) / w - 0.5) * 2 * math.pi, (row + 0.5) / h * math.pi
    towards = [math.sin(theta) * math.sin(phi), math.cos(theta), -math.sin(theta) * math.cos(phi)]
    assert float(np.dot(towards, sun_direction(sky))) > 0.98
    # an open sky gives some 5 000 to 25 000 lx without the sun
    polar = (np.arange(h // 2) + 0.5) / h * math.pi
    lux = float((picture[: h // 2] @ [0.2126, 0.7152, 0.0722] * (np.cos(polar) * np.sin(polar))[:, None]).sum())
    assert 4_000 < lux * (math.pi / h) * (2 * math.pi / w) < 30_000


def test_masks_loop_and_let_light_through_somewhere() -> None:
    for kind in ("window", "blinds", "leaves", "breakup"):
        picture = mask(kind)  # type: ignore[arg-type]
        assert 0.1 < picture.mean() / 255 < 0.9
        assert np.array_equal(picture, mask(kind, LOOP))  # type: ignore[arg-type]
    assert not np.array_equal(mask("leaves"), mask("leaves", LOOP / 4))


@kernel
def _estimate(env, facing, way, numbers, rotation):
    """∫ L dω, or ∫ L cos dω of a surface that faces `way` (3,), by the sampler; how often its density differs from the
    one that is looked up."""
    total, differ = 0.0, 0
    for i in range(numbers.shape[0]):
        r, c, u, v = draw_place(env, facing, numbers[i, 0], numbers[i, 1])
        d, rgb, pdf = environment_from(env, facing, r, c, u, v, rotation)
        x, y, z = turn_back(rotation, d)
        _, looked_up = environment_at(env, facing, longitude(x, z), latitude(y), y)
        differ += abs(looked_up / pdf - 1.0) > 0.02
        cosine = max(x * way[0] + y * way[1] + z * way[2], 0.0) if facing != ANY_WAY else 1.0
        total += rgb[0] * cosine / pdf
    return total / numbers.shape[0], differ


def test_environment_sampling_integrates_the_sphere_and_what_surfaces_take_of_it() -> None:
    rng = np.random.default_rng(2)
    picture = np.zeros((64, 128, 3), np.float32) + 0.1
    picture[10:14, 20:26] = 500.0
    env = build_environment(picture)
    polar, around = (np.arange(64) + 0.5) / 64 * np.pi, ((np.arange(128) + 0.5) / 128 - 0.5) * 2 * np.pi
    sine = np.sin(polar)[:, None]
    d = np.stack([sine * np.sin(around), np.cos(polar)[:, None] + 0 * around, -sine * np.cos(around)], axis=-1)
    cell = picture[..., 0] * sine * (np.pi / 64) * (2 * np.pi / 128)
    numbers, turn = rng.random((200_000, 2)), environment_turn(0.7, 0.2)
    for facing in (ANY_WAY, 0, 144, 57, 280):
        way = bin_directions()[facing] if facing != ANY_WAY else np.zeros(3)
        exact = float((cell * (np.maximum(d @ way, 0) if facing != ANY_WAY else 1.0)).sum())
        total, differ = _estimate(env, facing, way, numbers, turn)
        assert total == pytest.approx(exact, rel=0.015)
        assert differ < 20  # directions on a cell's border may fall into the next
        assert env.strength[facing] == pytest.approx(exact / (1 if facing != ANY_WAY else 4), rel=0.05, abs=0.02)


def test_clouds_cover_as_much_as_told_drift_and_change_without_a_jump() -> None:
    rng = np.random.default_rng(4)
    d = rng.normal(size=(20_000, 3))
    d[:, 1] = np.abs(d[:, 1]) + 0.3
    d /= np.linalg.norm(d, axis=1, keepdims=True)
    assert (passing(Sky(), d) == 1.0).all()
    covered = [float((passing(Sky(clouds=a), d) < 0.9).mean()) for a in (0.2, 0.4, 0.6, 0.8, 1.0)]
    assert all(np.diff(covered) > 0)
    assert covered[0] < 0.2
    assert covered[-1] > 0.99
    here, there = Sky(clouds=0.6), Sky(clouds=0.6, cloud_drift_deg=20.0, cloud_heading_deg=0.0)
    moved = d / d[:, 1:2]
    moved[:, 2] -= math.radians(20.0)
    up = moved / np.linalg.norm(moved, axis=1, keepdims=True)
    high = (d[:, 1] > 0.3) & (up[:, 1] > 0.3)  # away from the haze
    assert passing(there, d)[high] == pytest.approx(passing(here, up)[high])
    change = np.abs(passing(Sky(clouds=0.6, cloud_shape=0.001), d) - passing(here, d))
    assert 0 < change.max() < 0.05
    # what is before the sun takes from it, and the sky stays as it was where there are none
    assert sun_illuminance_lx(Sky(clouds=1.0)) < 0.8 * sun_illuminance_lx(Sky())
    assert np.isfinite(sky_picture(Sky(clouds=0.7))).all()
    assert sky_picture(Sky()).shape == (128, 256, 3)


def test_every_kind_of_light_is_described_once() -> None:
    assert tuple(KINDS) == get_args(Shape)
    assert len(BY_KERNEL) == len(KINDS)
    for kind in KINDS.values():
        light = Light(id="l", name="L", shape=kind.shape, width_m=0.5, height_m=0.2)
        row = light_row(light, np.zeros(3), 0.0)
        reached = np.linalg.norm(kind.outline(row), axis=1)
        assert reached.max() <= row[REACH] * 1.0001, kind.shape
        assert all(size.name in Light.model_fields for size in kind.sizes)
        assert fields_of(kind) <= Light.model_fields.keys()
