"""The grade against closed forms: ramps through every operator, identity, tables, light that is kept, grain."""

from itertools import pairwise

import numpy as np
import PyOpenColorIO as ocio
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from cyclorama.core.colour import LUMA32
from cyclorama.core.colour_spaces import oklch_of, rgb_of_oklch
from cyclorama.core.errors import IntakeError
from cyclorama.core.picture.grade import operators as op
from cyclorama.core.picture.grade.finish import BAND, Finish, display_frame, light_steps
from cyclorama.core.picture.grade.lens_effects import add_glare, add_grain, distort_picture, sharpen, vignette
from cyclorama.core.picture.grade.table import Applied, apply_table, read_cube
from cyclorama.core.picture.view_transform import to_display
from cyclorama.core.scene import Grade
from cyclorama.core.scene.grade import Curves, HueRange, Hues, LensEffects, Table, ToneCurve

RAMP = np.linspace(-0.2, 8.0, 4001, dtype=np.float32)
GREYS = np.repeat(RAMP[:, None], 3, axis=1)
HALF_BIT = 2e-6
"""Of float32 through a power and back, relative."""


def no_asset(key: str) -> bytes:
    raise AssertionError(key)


def graded(picture: np.ndarray, grade: Grade, get_asset=no_asset) -> np.ndarray:  # type: ignore[no-untyped-def]
    """Linear light after everything that comes before the view."""
    out = picture.copy()
    for step in light_steps(grade, get_asset):
        out = step(out)
    return out


def noise(h: int, w: int, seed: int = 1) -> np.ndarray:
    return np.random.default_rng(seed).lognormal(-1.5, 1.2, (h, w, 3)).astype(np.float32)


@pytest.mark.parametrize("view", ["neutral", "aces", "srgb"])
def test_a_grade_that_does_nothing_changes_no_bit(view: str) -> None:
    picture = noise(211, 317)  # several bands, the last of them not full
    assert picture.shape[0] * picture.shape[1] > 2 * BAND
    same = to_display(picture, view)
    assert np.array_equal(display_frame(picture, None, Finish(Grade(), view), no_asset), same)
    off = Grade(on=False, exposure_stops=3, lens=LensEffects(glare=50, grain=20))
    assert np.array_equal(display_frame(picture, None, Finish(off, view), no_asset), same)
    assert light_steps(Grade(), no_asset) == []


def test_ramps_through_every_operator_give_what_the_formulas_say() -> None:
    x = RAMP.astype(np.float64)

    def check(grade: Grade, wanted: np.ndarray, within: float = HALF_BIT) -> None:
        got = graded(GREYS, grade)
        np.testing.assert_allclose(got, np.broadcast_to(np.reshape(wanted, (len(x), -1)), got.shape), within, 1e-6)

    check(Grade(exposure_stops=1.5), x * 2**1.5)
    check(Grade(contrast=1.6), np.sign(x) * 0.18 * np.abs(x / 0.18) ** 1.6)
    check(Grade(black=0.02, white=4.0), (x - 0.02) / 3.98)
    slope, offset, power = (1.3, 1.0, 0.7), (0.02, 0.0, -0.03), (1.2, 1.0, 0.8)
    lines = x[:, None] * slope + np.array(offset)
    check(Grade(slope=slope, offset=offset, power=power), np.where(lines < 0, lines, np.abs(lines) ** power))
    # a curve of one point lifts everything; a straight one of slope two squares light about grey
    check(Grade(curves=Curves(luma=ToneCurve(points=((0.0, 1.0),)))), 2 * x)
    inside = np.clip(np.log2(np.maximum(x, 1e-9) / 0.18), -2.0, 3.0)
    doubled = ToneCurve(points=((-2.0, -4.0), (0.0, 0.0), (3.0, 6.0)))
    check(Grade(curves=Curves(green=doubled)), np.stack([x, x * 2**inside, x], -1), 7e-4)


def test_white_balance_makes_light_of_its_temperature_grey() -> None:
    from cyclorama.core.colour_temperature import temperature_to_rgb

    for kelvin in (2800.0, 4000.0, 9000.0):
        lit = np.tile(0.4 * temperature_to_rgb(kelvin), (8, 1)).astype(np.float32)
        seen = graded(lit, Grade(white_k=kelvin))
        assert np.ptp(seen, axis=1).max() < 1e-3


@settings(max_examples=30, deadline=None)
@given(
    st.tuples(*[st.floats(0.2, 3)] * 3),
    st.tuples(*[st.floats(-0.3, 0.3)] * 3),
    st.tuples(*[st.floats(0.4, 2.5)] * 3),
    st.floats(0, 3),
)
def test_decisions_are_those_of_the_published_formula(slope, offset, power, saturation) -> None:  # type: ignore[no-untyped-def]
    picture = noise(16, 16, 5)
    cdl = ocio.CDLTransform()
    cdl.setSlope(slope), cdl.setOffset(offset), cdl.setPower(power), cdl.setSat(saturation)
    cdl.setStyle(ocio.CDL_NO_CLAMP)
    wanted = picture.copy().reshape(-1, 3)
    ocio.Config.CreateRaw().getProcessor(cdl).getDefaultCPUProcessor().applyRGB(wanted)
    got = graded(picture, Grade(slope=slope, offset=offset, power=power, saturation=saturation)).reshape(-1, 3)
    np.testing.assert_allclose(got, wanted, 2e-3, 2e-4)  # the library takes powers by a fast approximation


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.tuples(st.floats(-8, 6), st.floats(-8, 6)), min_size=1, max_size=8, unique_by=lambda p: round(p[0], 2))
)
def test_curves_never_turn_back(points: list[tuple[float, float]]) -> None:
    come = sorted(p[0] for p in points)
    go = sorted(p[1] for p in points)
    if any(b - a < 0.01 for a, b in pairwise(come)):
        return
    factors = op.curve_factors(tuple(zip(come, go, strict=True)))
    light = 0.18 * 2 ** np.linspace(-9, 7, 5000, dtype=np.float32)
    out = op.apply_curves(light, factors)
    assert (np.diff(out) >= -4e-6 * out[1:]).all()  # what float32 rounds places of the table by


def test_a_curve_that_turns_back_is_refused() -> None:
    with pytest.raises(ValueError, match="left to right"):
        ToneCurve(points=((0.0, 1.0), (1.0, 0.5)))


def test_hues_are_turned_where_they_are_meant() -> None:
    centres = dict(zip(op.HUES, op.HUES.values(), strict=True))
    colours = rgb_of_oklch(np.array([[0.6, 0.12, hue] for hue in centres.values()])).astype(np.float32)
    grade = Grade(hues=Hues(greens=HueRange(turn_deg=20, saturation=0.5, stops=1.0)))
    before, after = oklch_of(colours), oklch_of(graded(colours, grade))
    i = list(centres).index("greens")
    assert after[i, 2] - before[i, 2] == pytest.approx(20, abs=0.2)
    assert after[i, 1] / before[i, 1] == pytest.approx(0.5 * 2 ** (1 / 3), rel=0.01)
    assert after[i, 0] / before[i, 0] == pytest.approx(2 ** (1 / 3), rel=0.01)
    others = [k for k in range(6) if k != i]
    np.testing.assert_allclose(graded(colours, grade)[others], colours[others], 1e-3, 1e-4)
    weights = op.hue_weights(np.linspace(0, 360, 999), np.array(list(centres.values())))
    np.testing.assert_allclose(weights.sum(axis=1), 1.0, atol=1e-12)
    greys = np.full((4, 3), 0.3, np.float32)
    np.testing.assert_allclose(graded(greys, grade), greys, 2e-3)


def cube(values: np.ndarray, more: str = "") -> bytes:
    n = values.shape[0]
    head = f'TITLE "Test"\n# made here\nLUT_{3 if values.ndim == 4 else 1}D_SIZE {n}\n{more}'
    return (head + "\n".join(" ".join(f"{v:.6f}" for v in row) for row in values.reshape(-1, 3)) + "\n").encode()


@pytest.mark.parametrize("shape", [(17, 17, 17, 3), (64, 3)])
def test_tables_are_looked_up_as_the_reference_does(shape: tuple[int, ...], tmp_path) -> None:  # type: ignore[no-untyped-def]
    values = np.random.default_rng(3).random(shape)
    data = cube(values, "DOMAIN_MIN -0.25 -0.25 -0.25\nDOMAIN_MAX 1.5 1.5 1.5\n")
    path = tmp_path / "test.cube"
    path.write_bytes(data)
    colours = np.random.default_rng(4).uniform(-0.4, 1.7, (5000, 3)).astype(np.float32)
    reader = ocio.FileTransform(
        str(path), interpolation=ocio.INTERP_TETRAHEDRAL if len(shape) == 4 else ocio.INTERP_LINEAR
    )
    wanted = colours.copy()
    ocio.Config.CreateRaw().getProcessor(reader).getDefaultCPUProcessor().applyRGB(wanted)
    np.testing.assert_allclose(apply_table(data).of(colours), wanted, atol=2e-4)  # the library's tables are half floats


def test_a_table_that_changes_nothing_changes_nothing_in_light_either() -> None:
    n = 33
    axis = np.linspace(0, 1, n)
    identity = np.stack(np.meshgrid(axis, axis, axis, indexing="ij")[::-1], -1)  # red runs fastest
    data = cube(identity)
    assert np.ptp(Applied(read_cube(data, "x")).of(np.array([[0.1, 0.5, 0.9]], np.float32)) - [0.1, 0.5, 0.9]) < 1e-3
    picture = np.clip(noise(32, 32), 1e-3, 11.0)  # within the table's stops
    grade = Grade(table=Table(asset="0" * 32, on="log"))
    np.testing.assert_allclose(graded(picture, grade, lambda key: data), picture, 5e-3)
    on_screen = Finish(Grade(table=Table(asset="0" * 32, on="shown")), "neutral")
    np.testing.assert_allclose(
        display_frame(picture, None, on_screen, lambda key: data), to_display(picture, "neutral"), atol=1e-3
    )


@pytest.mark.parametrize(
    ("text", "says"),
    [
        (b"\xff\xfe\x00\x01" * 40, "not text"),
        (b"", "no numbers"),
        (b"hello\nworld\n", "no numbers"),
        (b"0 0 0\n1 1 1\n", "how large"),
        (b"LUT_3D_SIZE 256\n0 0 0\n", "256×256×256"),
        (b"LUT_3D_SIZE two\n0 0 0\n", "no size"),
        (b"LUT_1D_SIZE 3\n0 0 0\n1 1 1\n", "2 entries where 3"),
        (b"LUT_1D_SIZE 2\n0 0\n1 1 1\n", "three numbers"),
        (b"LUT_1D_SIZE 2\n0 0 nan\n1 1 1\n", "no numbers"),
        (b"LUT_1D_SIZE 2\nDOMAIN_MIN 1 1 1\n0 0 0\n1 1 1\n", "ends where it begins"),
        (b"LUT_1D_SIZE 2\nDOMAIN_MAX 1 1\n0 0 0\n1 1 1\n", "no domain"),
    ],
)
def test_files_that_are_no_tables_are_refused_in_words(text: bytes, says: str) -> None:
    with pytest.raises(IntakeError, match=says):
        read_cube(text, "look.cube")


def test_glare_neither_wins_nor_loses_light() -> None:
    picture = np.full((180, 320, 3), 0.02, np.float32)
    picture[90, 160] = 500.0
    picture[2, 3] = 300.0  # near an edge, too
    for lens in (LensEffects(glare=60, glare_size=8), LensEffects(glare=60, glare_size=3, streaks=1.0)):
        spread = add_glare(picture, lens, blades=6)
        assert spread.sum(dtype=float) == pytest.approx(picture.sum(dtype=float), rel=5e-3)
        assert spread[90, 160, 0] < 0.5 * 500
        assert spread.min() > 0
    kept = add_glare(picture, LensEffects(glare=60, glare_above=1.0), blades=0)
    assert kept.sum(dtype=float) == pytest.approx(picture.sum(dtype=float), rel=5e-3)


def test_half_of_the_glare_lies_within_its_size() -> None:
    picture = np.zeros((401, 401, 3), np.float32)
    picture[200, 200] = 1.0
    spread = add_glare(picture, LensEffects(glare=100, glare_size=5), blades=0)
    r = np.hypot(*np.mgrid[-200:201, -200:201])
    assert float(spread[r <= 0.05 * 401, 0].sum()) == pytest.approx(0.5, abs=0.02)


def test_streaks_leave_the_edges_of_the_aperture() -> None:
    picture = np.zeros((201, 201, 3), np.float32)
    picture[100, 100] = 1.0
    angles = np.arange(0, 360, 2)
    for blades, rays in ((6, 6), (5, 10)):
        spread = add_glare(picture, LensEffects(glare=100, glare_size=10, streaks=1.0), blades)[..., 0]
        ring = np.array([spread[round(100 + 60 * np.sin(a)), round(100 + 60 * np.cos(a))] for a in np.radians(angles)])
        strong = ring > ring.max() / 3
        assert int((strong & ~np.roll(strong, 1)).sum()) == rays


def test_grain_has_no_mean_and_is_the_same_for_a_frame() -> None:
    flat = np.full((300, 400, 3), 0.18, np.float32)
    once, again, next_one = (add_grain(flat, 0.1, 2.0, 0.3, frame) for frame in (7, 7, 8))
    assert np.array_equal(once, again)
    assert not np.array_equal(once, next_one)
    assert float(once.mean(dtype=float)) == pytest.approx(0.18, rel=1e-5)
    assert float(once.std()) / 0.18 == pytest.approx(0.1, rel=0.01)
    dark = add_grain(flat / 256, 0.1, 2.0, 0.3, 7)
    assert float(dark.std()) / (0.18 / 256) == pytest.approx(0.1 / 5, rel=0.02)  # eight stops below: 1 / (1 + 2²)


def test_lenses_move_and_darken_as_they_say() -> None:
    h, w = 180, 320
    dot = np.zeros((h, w, 3), np.float32)
    dot[40, 60] = 1.0  # 81, so far from the middle of 160 and 90, in shares of the half diagonal
    y, x = 40 - (h - 1) / 2, 60 - (w - 1) / 2
    r2 = (x * x + y * y) / (((h - 1) / 2) ** 2 + ((w - 1) / 2) ** 2)
    moved = distort_picture(dot, 0.1, 0.0)[..., 0]
    at = np.array([(moved.sum(axis=k) * np.arange(moved.shape[1 - k])).sum() / moved.sum() for k in (1, 0)])
    source = np.array([(at[0] - (h - 1) / 2), (at[1] - (w - 1) / 2)])
    reach = (source**2).sum() / (((h - 1) / 2) ** 2 + ((w - 1) / 2) ** 2)
    np.testing.assert_allclose(source * (1 - 0.1 * reach), [y, x], atol=0.6)
    assert (source**2).sum() > x * x + y * y  # pincushion: outwards
    assert r2 < reach
    falls = vignette(h, w, -2.0)[..., 0]
    assert falls[0, 0] == pytest.approx(0.25, rel=0.03)
    assert falls[h // 2, w // 2] == pytest.approx(1.0, rel=1e-3)
    spread = distort_picture(dot, 0.0, 0.02)
    columns = [(spread[..., c].sum(axis=0) * np.arange(w)).sum() / spread[..., c].sum() for c in range(3)]
    assert columns[0] < columns[1] < columns[2]  # left of the middle, so red lies farther left
    assert columns[2] - columns[0] == pytest.approx(0.02 * abs(x) * 2 / 3, rel=0.2)


def test_sharpening_darkens_edges_but_never_below_black() -> None:
    edge = np.full((40, 80, 3), 0.01, np.float32)
    edge[:, 40:] = 1.0
    crisp = sharpen(edge, 2.0, 2.0)
    assert crisp.min() > 0
    assert crisp[20, 39, 0] < 0.01 < 1.0 < crisp[20, 40, 0]
    np.testing.assert_allclose(crisp[:, 5], edge[:, 5], 1e-4)


def test_transparent_pictures_are_graded_by_their_own_colour() -> None:
    colour, alpha = np.array([0.6, 0.3, 0.1], np.float32), np.linspace(0, 1, 64, dtype=np.float32).reshape(8, 8)
    premultiplied = alpha[..., None] * colour
    out = display_frame(premultiplied, alpha, Finish(Grade(contrast=1.3, exposure_stops=-1), "srgb"), no_asset)
    assert np.array_equal(out[..., 3], alpha)
    assert np.ptp(out[alpha > 0.01][:, :3], axis=0).max() < 1e-5
    luma = float(out[7, 7, :3] @ LUMA32)
    assert 0 < luma < 1
