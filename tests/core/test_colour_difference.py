"""CIELAB and ΔE00 against the published test pairs and known colours."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from cyclorama.core.colour_difference import difference, lab_of, parse_colour, rgb_of
from cyclorama.core.errors import ChangeError

# Sharma, Wu and Dalal, 2005, table 1
PAIRS = [
    (50, 2.6772, -79.7751, 50, 0, -82.7485, 2.0425), (50, 3.1571, -77.2803, 50, 0, -82.7485, 2.8615),
    (50, 2.8361, -74.0200, 50, 0, -82.7485, 3.4412), (50, -1.3802, -84.2814, 50, 0, -82.7485, 1.0000),
    (50, -1.1848, -84.8006, 50, 0, -82.7485, 1.0000), (50, -0.9009, -85.5211, 50, 0, -82.7485, 1.0000),
    (50, 0, 0, 50, -1, 2, 2.3669), (50, -1, 2, 50, 0, 0, 2.3669), (50, 2.49, -0.001, 50, -2.49, 0.0009, 7.1792),
    (50, 2.49, -0.001, 50, -2.49, 0.0010, 7.1792), (50, 2.49, -0.001, 50, -2.49, 0.0011, 7.2195),
    (50, 2.49, -0.001, 50, -2.49, 0.0012, 7.2195), (50, -0.001, 2.49, 50, 0.0009, -2.49, 4.8045),
    (50, -0.001, 2.49, 50, 0.0010, -2.49, 4.8045), (50, -0.001, 2.49, 50, 0.0011, -2.49, 4.7461),
    (50, 2.5, 0, 50, 0, -2.5, 4.3065), (50, 2.5, 0, 73, 25, -18, 27.1492), (50, 2.5, 0, 61, -5, 29, 22.8977),
    (50, 2.5, 0, 56, -27, -3, 31.9030), (50, 2.5, 0, 58, 24, 15, 19.4535), (50, 2.5, 0, 50, 3.1736, 0.5854, 1.0),
    (50, 2.5, 0, 50, 3.2972, 0, 1.0), (50, 2.5, 0, 50, 1.8634, 0.5757, 1.0), (50, 2.5, 0, 50, 3.2592, 0.3350, 1.0),
    (60.2574, -34.0099, 36.2677, 60.4626, -34.1751, 39.4387, 1.2644),
    (63.0109, -31.0961, -5.8663, 62.8187, -29.7946, -4.0864, 1.2630),
    (61.2901, 3.7196, -5.3901, 61.4292, 2.2480, -4.9620, 1.8731),
    (35.0831, -44.1164, 3.7933, 35.0232, -40.0716, 1.5901, 1.8645),
    (22.7233, 20.0904, -46.6940, 23.0331, 14.9730, -42.5619, 2.0373),
    (36.4612, 47.8580, 18.3852, 36.2715, 50.5065, 21.2231, 1.4146),
    (90.8027, -2.0831, 1.4410, 91.1528, -1.6435, 0.0447, 1.4441),
    (90.9257, -0.5406, -0.9208, 88.6381, -0.8985, -0.7239, 1.5381),
    (6.7747, -0.2908, -2.4247, 5.8714, -0.0985, -2.2286, 0.6377),
    (2.0776, 0.0795, -1.1350, 0.9033, -0.0636, -0.5514, 0.9082),
]  # fmt: skip


@pytest.mark.parametrize("pair", PAIRS)
def test_published_pairs(pair: tuple[float, ...]) -> None:
    a, b = np.array(pair[:3], float), np.array(pair[3:6], float)
    assert difference(a, b) == pytest.approx(pair[6], abs=5e-5)
    assert difference(b, a) == pytest.approx(pair[6], abs=5e-5)


def test_known_colours() -> None:
    """White, black, middle grey, and the primaries of displays as ICC profiles tell them."""
    assert lab_of(np.ones(3)) == pytest.approx([100, 0, 0], abs=0.02)
    assert lab_of(np.zeros(3)) == pytest.approx([0, 0, 0], abs=1e-9)
    assert lab_of(np.full(3, 0.184187))[0] == pytest.approx(50.0, abs=0.01)
    assert lab_of(np.array([1.0, 0, 0])) == pytest.approx([54.29, 80.81, 69.89], abs=0.03)
    assert lab_of(np.array([0, 1.0, 0])) == pytest.approx([87.82, -79.29, 80.99], abs=0.03)
    assert lab_of(np.array([0, 0, 1.0])) == pytest.approx([29.57, 68.30, -112.03], abs=0.03)


@given(st.tuples(*[st.floats(0.0, 1.0)] * 3))
def test_there_and_back(rgb: tuple[float, float, float]) -> None:
    assert rgb_of(lab_of(np.array(rgb))) == pytest.approx(np.array(rgb), abs=1e-6)


@pytest.mark.parametrize("text", ["#1f6f8b", "1F6F8B", " #1f6f8b "])
def test_told_by_digits(text: str) -> None:
    assert rgb_of(parse_colour(text)) == pytest.approx([0.0137, 0.1589, 0.2582], abs=1e-3)


@pytest.mark.parametrize("text", ["52 -14 -26", "52 −14 −26", "Lab(52, -14, -26)", "L 52 a -14 b -26", "52; -14; -26"])
def test_told_by_cielab(text: str) -> None:
    assert parse_colour(text) == pytest.approx([52, -14, -26])


@pytest.mark.parametrize(
    "text", ["", "red", "#12345", "#12345g", "52 -14", "120 0 0", "50 900 0", "1e9 0 0", "nan nan nan"]
)
def test_values_that_are_no_colour_are_refused(text: str) -> None:
    with pytest.raises(ChangeError, match="Tell the colour"):
        parse_colour(text)
