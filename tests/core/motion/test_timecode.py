"""Timecode against SMPTE's own examples, and both ways over a whole day."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cyclorama.core.errors import ChangeError
from cyclorama.core.motion import FrameRate
from cyclorama.core.motion.timecode import drops, frames_of, timecode

RATES = [FrameRate(n, d) for n, d in ((24000, 1001), (24, 1), (25, 1), (30000, 1001), (30, 1), (50, 1), (60000, 1001))]
NTSC = FrameRate(30000, 1001)


def test_drop_frame_leaves_out_two_numbers_a_minute_but_not_each_tenth() -> None:
    told = {
        0: "00:00:00;00",
        1799: "00:00:59;29",
        1800: "00:01:00;02",
        17981: "00:09:59;29",
        17982: "00:10:00;00",
        107892: "01:00:00;00",
    }
    for frames, text in told.items():
        assert timecode(frames, NTSC) == text
        assert frames_of(text, NTSC) == frames
    assert timecode(3600, FrameRate(60000, 1001)) == "00:01:00;04"
    assert [drops(rate) for rate in RATES] == [0, 0, 0, 2, 0, 0, 4]
    assert frames_of("00:01:00:00", NTSC) == 1800  # with a colon nothing is left out


@given(st.sampled_from(RATES), st.data())
def test_there_and_back_over_a_day(rate: FrameRate, data: st.DataObject) -> None:
    day = int(24 * 3600 * rate.fraction)
    frames = data.draw(st.integers(0, day - 1))
    text = timecode(frames, rate)
    assert frames_of(text, rate) == frames
    hours, minutes, seconds = (int(x) for x in text.replace(";", ":").split(":")[:3])
    if drops(rate):  # it keeps with the clock, within two frames and what a day is off by (86 ms)
        assert 3600 * hours + 60 * minutes + seconds == pytest.approx(frames / float(rate.fraction), abs=1.2)


def test_values_that_are_no_timecode_are_told() -> None:
    assert frames_of("8:12", FrameRate(24)) == 204
    assert frames_of("1:02:03", FrameRate(25)) == 62 * 25 + 3
    for text in ("", "abc", "1:2:3:4:5", "00:00:00:24", "00:61:00:00", "00:00:-1:00"):
        with pytest.raises(ChangeError):
            frames_of(text, FrameRate(24))
    with pytest.raises(ChangeError, match="leaves"):
        frames_of("00:01:00;01", NTSC)
