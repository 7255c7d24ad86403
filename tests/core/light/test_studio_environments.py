"""Surroundings made by the program, against what they are said to be."""

import numpy as np
import pytest

from cyclorama.core.light.studio_environments import STUDIOS, StudioKind, directions, studio_picture


@pytest.mark.parametrize("kind", STUDIOS)
def test_surroundings_are_sound_and_have_no_seam(kind: StudioKind) -> None:
    picture = studio_picture(kind, 128)
    assert picture.shape == (128, 256, 3)
    assert picture.dtype == np.float32
    assert np.isfinite(picture).all()
    assert picture.min() >= 0.0
    assert 0.02 < picture.mean() < 2.0
    # what lies left of the seam goes on to its right as it goes on anywhere
    across = np.abs(picture[:, 0] - picture[:, -1]).max()
    assert across <= np.abs(np.diff(picture, axis=1)).max() + 1e-6


def test_the_overcast_sky_is_that_of_its_standard() -> None:
    """Moon and Spencer's: three times as bright straight above as at the horizon, the same all round."""
    picture = studio_picture("overcast", 512)
    _, elevation = directions(512)
    at = {deg: picture[np.argmin(np.abs(elevation[:, 0] - deg)), :, 1] for deg in (0.3, 30.0, 89.8)}
    assert at[89.8].mean() / at[0.3].mean() == pytest.approx(3.0, rel=0.02)
    assert at[30.0].mean() / at[89.8].mean() == pytest.approx((1 + 2 * 0.5) / 3, rel=0.01)
    assert all(np.ptp(row) < 1e-6 for row in at.values())


def test_light_comes_from_where_it_is_said_to() -> None:
    azimuth, elevation = directions(256)
    softbox = studio_picture("one softbox", 256)[..., 1]
    bright = softbox > 0.5 * softbox.max()
    assert azimuth[bright].mean() == pytest.approx(-48.0, abs=1.5)
    assert elevation[bright].mean() == pytest.approx(42.0, abs=4.0)
    sides = studio_picture("warm and cool", 256)
    warm, cool = (sides[np.abs(azimuth - at) < 6][:, [0, 2]].max(axis=0) for at in (-82, 95))
    assert warm[0] > 2 * warm[1]
    assert cool[1] > 2 * cool[0]
