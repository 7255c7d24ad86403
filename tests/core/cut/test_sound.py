"""What is heard, against closed forms: levels, lengths to the sample, loudness, peaks, beats."""

import io
import math
import wave

import numpy as np
import pytest

from cyclorama.core.cut.beats import beats
from cyclorama.core.cut.document import Clip, Cut, Sound
from cyclorama.core.cut.sound import Mix, decode_sound, limit_peaks, measure_loudness, peaks, true_peaks, wav_of
from cyclorama.core.cut.sound_synthesis import GOES_ROUND, MADE, RATE
from cyclorama.core.errors import IntakeError


def sine(seconds: float, dbfs: float, hz: float = 1000.0) -> np.ndarray:
    t = np.arange(round(seconds * RATE)) / RATE
    return np.repeat((10 ** (dbfs / 20) * np.sin(2 * np.pi * hz * t))[:, None], 2, 1).astype(np.float32)


def wav(samples: np.ndarray, rate: int = RATE) -> bytes:
    file = io.BytesIO()
    with wave.open(file, "wb") as out:
        out.setnchannels(samples.shape[1])
        out.setsampwidth(2)
        out.setframerate(rate)
        out.writeframes((np.clip(samples, -1, 1) * 32767).astype("<i2").tobytes())
    return file.getvalue()


def mixed(cut: Cut, files: dict[str, bytes]) -> np.ndarray:
    return np.concatenate(list(Mix(cut, files.__getitem__).blocks()))


def test_loudness_is_that_of_the_standard() -> None:
    """EBU Tech 3341, cases 1 and 2: a stereo sine of −23 and −33 dBFS at 1 kHz."""
    for dbfs in (-23.0, -33.0):
        found = measure_loudness(iter([sine(20, dbfs)]))
        assert found.lufs == pytest.approx(dbfs, abs=0.1)
        assert found.peak_dbtp == pytest.approx(dbfs, abs=0.1)


def test_a_peak_between_samples_is_found() -> None:
    """A sine of a quarter of the rate, shifted by an eighth of a turn, is √2 higher than its samples."""
    t = np.arange(4800)
    samples = np.repeat(np.sin(np.pi / 2 * t + np.pi / 4)[:, None], 2, 1).astype(np.float32)
    assert np.abs(samples).max() == pytest.approx(math.sqrt(0.5), rel=1e-4)
    assert true_peaks(samples)[100:-100].max() == pytest.approx(1.0, rel=0.02)


def test_a_cut_is_brought_to_its_loudness_and_kept_under_its_peak() -> None:
    quiet = wav(sine(4, -30.0))
    for loudness, wanted in (("-14 LUFS", -14.0), ("-23 LUFS", -23.0), ("as it is", -30.0)):
        cut = Cut(
            clips=(Clip(id="c", length=96),),
            loudness=loudness,  # type: ignore[arg-type]
            sounds=(Sound(id="s", asset="q", seconds=4, length=96),),
        )
        assert measure_loudness(iter([mixed(cut, {"q": quiet})])).lufs == pytest.approx(wanted, abs=0.15)
    spiky = sine(4, -40.0)
    spiky[RATE : RATE + 40] = 0.5
    cut = Cut(
        clips=(Clip(id="c", length=96),), sounds=(Sound(id="s", asset="q", seconds=4, length=96),), peak_dbtp=-3.0
    )
    assert true_peaks(mixed(cut, {"q": wav(spiky)})).max() <= 10 ** (-3 / 20) * 1.02
    calm = sine(0.5, -12.0)
    assert limit_peaks(calm, 0.5) is calm


def test_sounds_begin_end_fade_and_repeat_to_the_sample() -> None:
    level = np.full((RATE, 2), 0.25, np.float32)
    sound = Sound(id="s", asset="q", seconds=1, start=12, length=36, fade_in=6, fade_out=6, gain_db=-20 * math.log10(2))
    cut = Cut(clips=(Clip(id="c", length=72),), loudness="as it is", sounds=(sound,))
    heard = mixed(cut, {"q": wav(level)})[:, 0]
    frame = RATE // 24
    assert len(heard) == 72 * frame
    assert np.abs(heard[: 12 * frame]).max() == 0
    assert heard[15 * frame] == pytest.approx(0.125 * math.sin(math.pi / 4), rel=1e-3)
    assert heard[20 * frame] == pytest.approx(0.125, rel=1e-3)
    assert np.abs(heard[12 * frame + RATE :]).max() == 0  # the file ends after a second
    again = cut.model_copy(update={"sounds": (sound.model_copy(update={"loop": True}),)})
    heard = mixed(again, {"q": wav(level)})[:, 0]
    assert heard[40 * frame] == pytest.approx(0.125, rel=1e-3)
    assert heard[45 * frame] == pytest.approx(0.125 * math.sin(math.pi / 4), rel=2e-3)
    odd = Cut(clips=(Clip(id="c", length=1001),), rate_num=30000, rate_den=1001)
    assert abs(Mix(odd, {}.__getitem__).samples - 1001 * RATE * 1001 / 30000) <= 0.5


def test_a_sound_gives_way_to_others() -> None:
    level = wav(np.full((4 * RATE, 2), 0.1, np.float32))
    bed = Sound(id="bed", asset="q", seconds=4, length=96, duck_db=20)
    voice = Sound(id="voice", asset="z", seconds=4, start=48, length=24, track=2)
    cut = Cut(clips=(Clip(id="c", length=96),), loudness="as it is", sounds=(bed, voice))
    heard = mixed(cut, {"q": level, "z": wav(np.zeros((RATE, 2), np.float32))})[:, 0]
    assert heard[RATE] == pytest.approx(0.1, rel=1e-2)
    assert heard[int(2.5 * RATE)] == pytest.approx(0.01, rel=2e-2)
    assert heard[int(1.875 * RATE)] == pytest.approx(0.1 * 10 ** (-10 / 20), rel=2e-2)
    assert heard[int(3.6 * RATE)] == pytest.approx(0.1, rel=1e-2)


def test_beats_of_clicks_are_found_where_they_are() -> None:
    rng = np.random.default_rng(3)
    samples = (0.001 * rng.standard_normal((12 * RATE, 2))).astype(np.float32)
    wanted = 0.31 + np.arange(22) * 60 / 113
    for beat in wanted:
        at = round(beat * RATE)
        samples[at : at + 1200] += (rng.standard_normal((1200, 2)) * np.exp(-np.arange(1200) / 200)[:, None]).astype(
            np.float32
        )
    found = np.array(beats(samples))
    assert len(found) >= 20
    far = np.abs(found[:, None] - wanted[None]).min(axis=1)
    assert far.max() < 1 / 24  # each within a frame
    assert np.diff(found).std() < 0.02
    assert beats(samples[:RATE]) == ()
    assert beats(np.zeros((8 * RATE, 2), np.float32)) == ()
    assert np.diff(beats(np.tile(MADE["pulse"][1](), (4, 1)))).mean() == pytest.approx(60 / 96, rel=0.02)


def test_made_sounds_are_the_same_each_time_and_go_round() -> None:
    for name, (_, make) in MADE.items():
        samples = make()
        assert np.array_equal(samples, make())
        assert 0.01 < np.abs(samples).max() <= 1.0
        if name in GOES_ROUND:  # over the seam nothing jumps more than it does inside
            steps = np.abs(np.diff(samples, axis=0)).max()
            assert np.abs(samples[0] - samples[-1]).max() <= steps


def test_files_are_read_in_any_rate_and_what_is_none_is_refused() -> None:
    tone = sine(1, -6.0, 440.0)
    slow = decode_sound(wav(tone[::2], RATE // 2), "slow.wav")
    assert len(slow) == pytest.approx(RATE, abs=200)
    assert np.abs(slow[2000:-2000] - tone[: len(slow)][2000:-2000]).max() < 0.05
    mono = decode_sound(wav(tone[:, :1]), "mono.wav")
    assert mono.shape[1] == 2
    assert len(peaks(mono)) == 40
    assert peaks(mono).max() == pytest.approx(10 ** (-6 / 20), rel=0.05)
    whole = wav(tone)
    for data in (b"", b"RIFFnothing", whole[:40], bytes(500)):
        with pytest.raises(IntakeError, match=r"no sound|empty"):
            decode_sound(data, "bad.wav")
    assert len(decode_sound(whole[: len(whole) // 2], "cut short.wav")) == pytest.approx(RATE / 2, rel=0.02)


def test_the_file_that_is_played_has_the_length_it_says() -> None:
    cut = Cut(clips=(Clip(id="c", length=30),), sounds=(Sound(id="s", made="glass", seconds=4, length=30),))
    mix = Mix(cut, {}.__getitem__)
    data = b"".join(wav_of(mix.blocks, mix.samples))
    assert len(data) == 44 + 4 * mix.samples
    with wave.open(io.BytesIO(data)) as file:
        assert (file.getnframes(), file.getframerate(), file.getnchannels()) == (30 * RATE // 24, RATE, 2)
