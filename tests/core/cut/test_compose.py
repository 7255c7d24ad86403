"""Frames of cuts against pixels worked out by hand."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import png_of

from cyclorama.core.cut.compose import Compositor, shape_of
from cyclorama.core.cut.document import Clip, ClipFraming, Cut, Title, TitleLayout
from cyclorama.core.cut.timeline import Footage, total
from cyclorama.core.picture.view_transform import srgb_encode
from cyclorama.core.textures import srgb_to_linear

W, H = 64, 36


class Plain:
    """Takes whose frames are of one colour, or have a quarter of their own each."""

    def __init__(self, **shown: np.ndarray):
        self.asked: list[tuple[str, int]] = []
        self.shown = {name: np.asarray(picture, np.float32) for name, picture in shown.items()}

    def picture(self, clip: Clip, number: int, width: int | None) -> np.ndarray:
        self.asked.append((clip.take_id, number))
        return self.shown[clip.take_id]

    def size(self, clip: Clip) -> tuple[int, int]:
        h, w = self.shown[clip.take_id].shape[:2]
        return w, h

    def framing(self, clip: Clip, number: int, shape: str) -> tuple[float, float]:
        return (1.0, 0.0) if shape == "9:16" else (0.0, 0.0)


def flat(*colour: float, width: int = W, height: int = H) -> np.ndarray:
    return np.broadcast_to(np.array(colour, np.float32), (height, width, len(colour))).copy()


def maker(cut: Cut, reel: Plain, width: int = W, height: int = H, clear: bool = False, **assets: bytes) -> Compositor:
    from fractions import Fraction

    films = {name: Footage(10, Fraction(24)) for name in reel.shown}
    return Compositor(cut, films, reel, assets.__getitem__, width, height, clear)


def test_a_cross_fade_mixes_light() -> None:
    a, b = (0.9, 0.2, 0.5), (0.1, 0.6, 0.5)
    cut = Cut(clips=(Clip(id="a", take_id="a", length=6, cross=3), Clip(id="b", take_id="b", length=6)))
    made = maker(cut, Plain(a=flat(*a), b=flat(*b)))
    assert total(cut) == 9
    assert np.array_equal(made.frame(2), flat(*a))
    for i, share in ((3, 0.25), (4, 0.5), (5, 0.75)):
        light = [
            (1 - share) * float(srgb_to_linear(np.float64(x))) + share * float(srgb_to_linear(np.float64(y)))
            for x, y in zip(a, b, strict=True)
        ]
        wanted = srgb_encode(np.array(light, np.float32))
        assert np.abs(made.frame(i) - wanted).max() < 2e-4
    assert np.array_equal(made.frame(6), flat(*b))


def test_fades_go_to_their_colour_and_gaps_show_the_ground() -> None:
    clip = Clip(id="a", take_id="a", gap=2, length=6, fade_in=1, fade_out=3, fade_colour=(1.0, 0.0, 0.0))
    cut = Cut(clips=(clip,), colour=(0.0, 0.25, 0.0))
    made = maker(cut, Plain(a=flat(0.5, 0.5, 0.5)))
    assert np.abs(made.frame(0) - srgb_encode(np.array([0, 0.25, 0], np.float32))).max() < 2e-4
    grey = float(srgb_to_linear(np.float64(0.5)))
    for i, share in ((2, 0.5), (3, 0.0), (4, 0.0), (5, 0.25), (6, 0.5), (7, 0.75)):
        wanted = srgb_encode(np.array([(1 - share) * grey + share, (1 - share) * grey, (1 - share) * grey], np.float32))
        assert np.abs(made.frame(i) - wanted).max() < 2e-4


def halves(width: int, height: int) -> np.ndarray:
    picture = flat(1.0, 0.0, 0.0, width=width, height=height)
    picture[:, width // 2 :] = (0.0, 0.0, 1.0)
    return picture


def test_a_picture_fills_or_is_seen_whole_with_bars() -> None:
    reel = Plain(a=halves(64, 36))
    fill = Cut(width=36, height=36, clips=(Clip(id="a", take_id="a", length=2),))
    square = maker(fill, reel, 36, 36).frame(0)
    assert square[:, :16] == pytest.approx(np.broadcast_to((1, 0, 0), (36, 16, 3)), abs=0.02)
    assert square[:, 20:] == pytest.approx(np.broadcast_to((0, 0, 1), (36, 16, 3)), abs=0.02)
    whole = fill.model_copy(
        update={"clips": (fill.clips[0].model_copy(update={"fit": "whole"}),), "colour": (0.0, 1.0, 0.0)}
    )
    boxed = maker(whole, reel, 64, 64).frame(0)
    assert boxed[:14] == pytest.approx(np.broadcast_to((0, 1, 0), (14, 64, 3)))
    assert boxed[14:50, :31] == pytest.approx(np.broadcast_to((1, 0, 0), (36, 31, 3)), abs=0.02)
    assert boxed[50:] == pytest.approx(np.broadcast_to((0, 1, 0), (14, 64, 3)))
    blurred = maker(whole.model_copy(update={"around": "blur"}), reel, 64, 64).frame(0)
    assert blurred[0, 0, 0] > 0.9
    assert blurred[0, -1, 2] > 0.9


def test_each_shape_has_a_framing_of_its_own() -> None:
    clip = Clip(
        id="a",
        take_id="a",
        length=1,
        framings=(ClipFraming(id="1:1", across=-1.0), ClipFraming(id="16:9", zoom=2.0, across=1.0)),
    )
    cut = Cut(clips=(clip,))
    reel = Plain(a=halves(64, 36))
    assert maker(cut, reel, 36, 36).frame(0)[:, :30, 0].min() > 0.97  # the left end of the picture
    assert maker(cut, reel, 64, 36).frame(0)[:, 4:, 2].min() > 0.97  # zoomed into the right half
    assert maker(cut, reel, 18, 32).frame(0)[..., 2].min() > 0.97  # as the shot says of 9:16
    assert [shape_of(*s) for s in ((1920, 1080), (854, 480), (1080, 1350), (1080, 1080), (2160, 3840))] == [
        "16:9",
        "16:9",
        "4:5",
        "1:1",
        "9:16",
    ]


def test_transparent_takes_lie_over_the_ground_or_stay_transparent() -> None:
    picture = flat(0.8, 0.4, 0.2, 0.25)
    cut = Cut(clips=(Clip(id="a", take_id="a", length=4, fade_out=1),), colour=(1.0, 1.0, 1.0))
    over = maker(cut, Plain(a=picture)).frame(0)
    assert over == pytest.approx(np.broadcast_to(0.25 * np.array([0.8, 0.4, 0.2]) + 0.75, (H, W, 3)), abs=1e-4)
    kept = maker(cut, Plain(a=picture), clear=True)
    assert kept.frame(0) == pytest.approx(picture)
    faded = kept.frame(3)  # half of it is there
    assert faded[..., 3] == pytest.approx(0.125, abs=1e-4)
    assert faded[..., :3] == pytest.approx(picture[..., :3], abs=1e-3)


def test_held_frames_are_made_once() -> None:
    title = Title(id="t", text="I", size=60, length=20, fade_in=0, fade_out=0)
    clip = Clip(id="a", take_id="a", length=4, speed=0.5, hold_after=10)
    cut = Cut(clips=(clip, Clip(id="b", take_id="b", length=1)), titles=(title,))
    reel = Plain(a=flat(0.2, 0.2, 0.2), b=flat(0.7, 0.7, 0.7))
    made = maker(cut, reel)
    frames = [made.frame(i) for i in range(total(cut))]
    assert reel.asked == [("a", 0), ("a", 1), ("b", 0)]
    assert np.array_equal(frames[2], frames[13])  # the title was not written into what is kept
    assert np.array_equal(frames[0], maker(cut, reel).frame(0))
    assert frames[14][0, 0, 0] == pytest.approx(0.7)


def test_a_title_is_as_bright_as_it_says_where_it_says() -> None:
    title = Title(
        id="t",
        text="I",
        size=60,
        down=50,
        across=50,
        length=5,
        fade_in=0,
        fade_out=0,
        weight=900,
        colour=(1.0, 1.0, 1.0),
        opacity=0.5,
    )
    cut = Cut(clips=(Clip(id="a", take_id="a", length=5),), titles=(title,))
    made = maker(cut, Plain(a=flat(0.2, 0.2, 0.2, width=320, height=180)), 320, 180).frame(0)
    assert made[90, 160] == pytest.approx(0.5 * 1 + 0.5 * 0.2, abs=1e-3)
    rows, columns = np.nonzero(made[..., 0] > 0.3)
    assert rows.mean() == pytest.approx(89.5, abs=1.0)
    assert columns.mean() == pytest.approx(159.5, abs=1.0)
    assert np.ptp(rows) + 1 == pytest.approx(0.6 * 180 * 0.7, rel=0.06)  # capitals are 0.7 of the size
    plate = cut.model_copy(
        update={"titles": (title.model_copy(update={"plate": 1.0, "opacity": 1.0, "plate_colour": (1.0, 0.0, 0.0)}),)}
    )
    assert maker(plate, Plain(a=flat(0.2, 0.2, 0.2, width=320, height=180)), 320, 180).frame(0)[
        90, 125
    ] == pytest.approx([1, 0, 0], abs=1e-3)
    tall = cut.model_copy(
        update={
            "titles": (title.model_copy(update={"layouts": (TitleLayout(id="9:16", size=20, across=50, down=10),)}),)
        }
    )
    upright = maker(tall, Plain(a=flat(0.2, 0.2, 0.2, width=180, height=320)), 180, 320).frame(0)
    assert np.nonzero(upright[..., 0] > 0.3)[0].mean() == pytest.approx(31.5, abs=1.0)


@given(st.integers(0, 8))
def test_a_title_slides_in_and_rests(frame: int) -> None:
    title = Title(id="t", text="I", size=40, length=9, fade_in=3, fade_out=3, slide="right")
    cut = Cut(clips=(Clip(id="a", take_id="a", length=9),), titles=(title,))
    made = maker(cut, Plain(a=flat(0.0, 0.0, 0.0, width=320, height=180)), 320, 180).frame(frame)
    middle = np.average(np.arange(320), weights=made[..., 0].sum(axis=0))
    way = (0, 0.25, 0.5, 0.75, 1)
    came = {0: 1, 1: 2, 2: 3}.get(frame)
    t = way[4 - came] if came else {6: 0.25, 7: 0.5, 8: 0.75}.get(frame, 0)
    far = t * t * (3 - 2 * t) * 0.08 * 180 * (-1 if came else 1)
    assert middle == pytest.approx(159.5 + far, abs=1.0)


def test_numbers_and_logos_are_drawn() -> None:
    base = {"id": "t", "length": 48, "fade_in": 0, "fade_out": 0, "size": 40.0}
    reel = Plain(a=flat(0, 0, 0, width=320, height=180))

    def shown(frame: int, **more: object) -> np.ndarray:
        cut = Cut(clips=(Clip(id="a", take_id="a", length=48),), titles=(Title(**(base | more)),))  # type: ignore[arg-type]
        return maker(cut, reel, 320, 180, logo=png_of(np.full((20, 40, 3), (0, 255, 0)))).frame(frame)

    assert np.array_equal(shown(17, kind="frame number"), shown(17, text="17"))
    assert np.array_equal(shown(25, kind="timecode"), shown(25, text="00:00:01:01"))
    assert np.array_equal(shown(0, kind="countdown"), shown(0, text="2"))
    assert np.array_equal(shown(47, kind="countdown"), shown(47, text="1"))
    logo = shown(0, kind="picture", picture="logo")
    assert (logo[..., 1] > 0.9).sum() == pytest.approx(72 * 144, rel=0.05)
    assert math.isclose(logo[90, 160, 1], 1.0, abs_tol=1e-3)
