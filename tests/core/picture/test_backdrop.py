"""A picture around the camera passes as the camera turns; closed forms of a cylinder."""

import numpy as np
import pytest
from tests.conftest import edited, png_of

from cyclorama.core.picture.backdrop import colours, covering, fit_picture
from cyclorama.core.picture.finishing import backdrop_of
from cyclorama.core.scene import new_project
from cyclorama.core.scene.light import Background, Behind
from cyclorama.core.textures import srgb_to_linear

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


@pytest.mark.parametrize(
    ("fit", "size", "right", "up", "turn"),
    [
        ("fill", 1.0, 0.0, 0.0, 0.0),
        ("whole", 1.0, 0.0, 0.0, 0.0),
        ("fill", 2.5, 0.1, 0.0, 0.0),
        ("whole", 0.5, -0.2, 0.25, 0.0),
        ("fill", 1.2, 0.1, -0.1, 30.0),
        ("whole", 0.8, 0.0, 0.1, -90.0),
    ],
)
@pytest.mark.parametrize("frame", [(64, 48), (900, 500)])  # smaller than the picture, and larger
def test_a_picture_lies_where_it_is_laid(
    fit: str, size: float, right: float, up: float, turn: float, frame: tuple[int, int]
) -> None:
    """Against the turn, scale and shift worked out for each pixel of the frame."""
    values = {"fit": fit, "size": size, "shift_right": right, "shift_up": up, "turn_deg": turn}
    laid = Background.model_validate({"kind": "picture", "picture": "0" * 32, "colour": (0.0, 0.0, 0.9), **values})
    width, height = frame
    found = fit_picture(ramp(""), laid, width, height)
    scale = size * (max if fit == "fill" else min)(width / WIDE, height / HIGH)
    y, x = np.mgrid[0:height, 0:width] + 0.5
    x, y = x - width * (0.5 + right), y - height * (0.5 - up)
    c, s = np.cos(np.radians(turn)), np.sin(np.radians(turn))
    column, row = WIDE / 2 + (c * x + s * y) / scale, HIGH / 2 + (c * y - s * x) / scale
    edge = 2.0 + 2.0 / scale
    inside = (np.abs(column - WIDE / 2) < WIDE / 2 - edge) & (np.abs(row - HIGH / 2) < HIGH / 2 - edge)
    outside = (np.abs(column - WIDE / 2) > WIDE / 2 + edge) | (np.abs(row - HIGH / 2) > HIGH / 2 + edge)
    assert inside.sum() > 100
    assert outside.any() == (fit == "whole" or turn != 0)
    tells = column_of(found) + 0.5 + 0.5 * 360 / 250  # the middles of a column, and of a byte, which is rounded down
    assert np.abs(tells - column)[inside].max() < 3.0
    assert found[outside] == pytest.approx(np.broadcast_to(np.float32((0, 0, 0.9)), found[outside].shape), abs=1e-6)


def test_a_picture_enlarged_far_takes_no_more_room_than_its_frame() -> None:
    far = Background(kind="picture", picture="0" * 32, size=20.0)
    assert fit_picture(ramp(""), far, 2000, 1200).shape == (1200, 2000, 3)


def test_a_blurred_picture_draws_no_dark_edge() -> None:
    """On a ground of its own colour an even picture is not to be seen."""
    grey = float(srgb_to_linear(np.float32(128 / 255)))
    laid = Background(kind="picture", picture="0" * 32, fit="whole", size=0.6, blur=0.5, colour=(grey, grey, grey))
    found = fit_picture(png_of(np.full((40, 90, 3), 128)), laid, 120, 80)
    assert found == pytest.approx(np.full((80, 120, 3), grey), abs=0.01)  # two bytes, where little of it is left


def test_gradients_are_turned_moved_and_sized() -> None:
    ends = {"colour": (0.0, 0.0, 0.0), "second": (1.0, 1.0, 1.0)}
    up = colours(Background(kind="vertical", **ends), 80, 60)[..., 0]
    assert up[:, 0] == pytest.approx((59.5 - np.arange(60)) / 60, abs=1e-6)
    across = colours(Background(kind="vertical", turn_deg=90.0, **ends), 80, 60)[..., 0]
    assert across[0] == pytest.approx((np.arange(80) + 0.5) / 80, abs=1e-6)
    moved = colours(Background(kind="vertical", shift_up=0.25, **ends), 80, 60)[..., 0]
    assert moved[:, 0] == pytest.approx(np.clip(up[:, 0] - 0.25, 0, 1), abs=1e-6)
    for size, right in ((1.0, 0.0), (0.5, 0.25)):
        glow = colours(Background(kind="radial", size=size, shift_right=right, **ends), 80, 60)[..., 0]
        assert abs(int(glow[30].argmax()) - 80 * (0.5 + right)) <= 1
        reach = (glow > 1e-4).mean()
        assert reach == pytest.approx(1.0, abs=0.02) if size == 1.0 else reach < 0.6
