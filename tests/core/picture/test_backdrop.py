"""A picture around the camera passes as the camera turns; closed forms of a cylinder."""

import numpy as np
import pytest
from tests.conftest import edited, png_of

from cyclorama.core.picture.backdrop import covering
from cyclorama.core.picture.finishing import backdrop_of
from cyclorama.core.scene import new_project
from cyclorama.core.scene.light import Behind

WIDE, HIGH = 360, 90


def ramp(key: str) -> bytes:
    """Red tells the column of the picture, in degrees of 360 of which it is half; green the row."""
    pixels = np.zeros((HIGH, WIDE, 3))
    pixels[..., 0] = np.arange(WIDE) / WIDE * 250
    pixels[..., 1] = (np.arange(HIGH) / HIGH * 250)[:, None]
    return png_of(pixels)


def column_of(light: np.ndarray) -> np.ndarray:
    """Which column of the picture is seen (h, w)."""
    shown = np.where(light <= 0.0031308, 12.92 * light, 1.055 * np.maximum(light, 1e-9) ** (1 / 2.4) - 0.055)
    return shown[..., 0] * 255 / 250 * WIDE


@pytest.mark.parametrize(("kind", "turned"), [("orbit", True), ("spin", False)])
def test_it_passes_as_the_camera_turns(kind: str, turned: bool) -> None:
    frames = 36
    project = edited(
        new_project("A"),
        {
            "move": kind,
            "shot/frames": frames,
            "shot/shoot/width": 640,
            "shot/shoot/height": 360,
            "camera/focal_mm": 50.0,
        },
    )
    behind = Behind(kind="picture", picture="0" * 32, spread_deg=180.0)
    first, later = (
        column_of(backdrop_of(project, project.shot.first_frame + k, behind, ramp, (36, 64))) for k in (0, 3)
    )
    middle = first[18, 31:33].mean()
    assert middle == pytest.approx(WIDE / 2, abs=1.5)
    # at the edge one looks atan(18 / 50) away, two columns of 360 a degree
    assert abs(first[18, -1] - middle) == pytest.approx(2 * np.degrees(np.arctan(18 / 50 * 63 / 64)), abs=2)
    assert abs(later[18, 31:33].mean() - middle) == pytest.approx(60.0 if turned else 0.0, abs=1.5)
    stays = behind.model_copy(update={"spread_deg": 0.0})
    one, other = (backdrop_of(project, project.shot.first_frame + k, stays, ramp, (36, 64)) for k in (0, 3))
    assert np.array_equal(one, other)


def test_it_goes_on_mirrored() -> None:
    project = edited(new_project("A"), {"move": "orbit", "shot/frames": 36})
    behind = Behind(kind="picture", picture="0" * 32, spread_deg=90.0)
    seen = [
        column_of(backdrop_of(project, project.shot.first_frame + k, behind, ramp, (18, 32)))[9, 16] for k in range(36)
    ]
    assert np.abs(np.diff([*seen, seen[0]])).max() < 1.2 * WIDE / 9  # ten degrees are a ninth of it; nowhere a jump
    assert min(seen) < 0.15 * WIDE
    assert max(seen) > 0.85 * WIDE


def test_another_picture_is_cut_to_the_shape_of_the_frame() -> None:
    light = np.zeros((40, 40, 3), np.float32)
    light[15:25] = 7.0
    assert covering(light, 40, 10).mean() == pytest.approx(7.0)
    assert covering(light, 20, 20).mean() == pytest.approx(light.mean(), rel=0.02)
