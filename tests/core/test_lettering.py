"""Letters are set as their scripts are written, and cover exactly what their outlines enclose."""

import numpy as np
import pytest

from cyclorama.core.errors import IntakeError
from cyclorama.core.lettering import _filled, _outline, coverage, missing, set_line


def enclosed(pieces: np.ndarray) -> float:
    """Area of an outline by the shoelace formula."""
    x0, y0, x1, y1 = pieces.T
    return abs(float(np.sum(x0 * y1 - x1 * y0)) / 2)


@pytest.mark.parametrize("size", [9.0, 64.3, 400.0])
def test_coverage_is_the_area_of_outlines(size: float) -> None:
    for letter in "LO8ö":
        line = set_line(letter, "grotesque", 600)
        covered = coverage(line, size, 10.37, size * 1.1 + 0.71, round(size + 30), round(size * 1.6 + 5))
        wanted = sum(enclosed(_outline(g.face, g.number)) for g in line.glyphs) * size * size
        assert covered.sum() == pytest.approx(wanted, rel=2e-3)
        assert covered.min() >= 0 and covered.max() <= 1  # noqa: PT018


def test_a_triangle_covers_half_of_the_pixels_it_cuts() -> None:
    covered = _filled(np.array([[0.0, 0, 4, 4], [4, 4, 0, 4], [0, 4, 0, 0]]), 5, 5)
    assert np.diag(covered)[:4] == pytest.approx(0.5)
    assert covered[3, :3] == pytest.approx(1)
    assert covered[0, 1:].max() == 0


def places(text: str) -> list[tuple[int, float]]:
    return [(g.number, round(g.x, 4)) for g in set_line(text, "grotesque", 500).glyphs]


def test_hebrew_runs_from_the_right_and_numbers_in_it_from_the_left() -> None:
    alef, bet = places("א")[0][0], places("ב")[0][0]
    assert [n for n, _ in places("אב")] == [bet, alef]
    one, two = places("1")[0][0], places("2")[0][0]
    assert [n for n, _ in places("א12ב")] == [bet, one, two, alef]
    latin = places("a")[0][0]
    assert [n for n, _ in places("aאב")] == [latin, bet, alef]


def test_arabic_letters_join() -> None:
    alone = {n for letter in "بيت" for n, _ in places(letter)}
    joined = {n for n, _ in places("بيت")}
    assert len(joined - alone) == 3  # each has another shape than alone; their dots are the same


def test_marks_stand_on_their_letter() -> None:
    plain, marked = set_line("e", "grotesque", 500), set_line("e\u0301", "grotesque", 500)
    assert marked.width == pytest.approx(plain.width)
    shin = set_line("ש\u05c1", "grotesque", 500)
    assert shin.width == pytest.approx(set_line("ש", "grotesque", 500).width)


def test_spacing_is_between_letters_only() -> None:
    plain, spaced = set_line("GLASS", "grotesque", 500), set_line("GLASS", "grotesque", 500, 0.25)
    assert spaced.width - plain.width == pytest.approx(4 * 0.25)


def test_missing_letters_are_told_and_other_files_refused() -> None:
    assert missing("Sturm №4 أ", "mono") == ""
    assert missing("風 glass", "grotesque") == "風"
    for data in (b"", b"no font at all", b"\x00\x01\x00\x00" + bytes(200)):
        with pytest.raises(IntakeError, match="no font"):
            set_line("a", "grotesque", 400, 0.0, data or b" ")
