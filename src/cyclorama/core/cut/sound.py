"""Sound: files decoded, mixed sample by sample, brought to a loudness, kept under a true peak.

Everything is worked with as stereo at 48 kHz in blocks, so that a long cut takes no more memory than a short one.
Fades follow a quarter of a sine; loudness and true peak are those of EBU R 128 (ITU-R BS.1770-5).
"""

import io
import math
import tempfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from typing import BinaryIO

import av
import numpy as np
import scipy
from numpy.typing import NDArray

from ..errors import IntakeError, telling_of_space
from ..scene.base import ReadAsset
from .document import Cut, Sound
from .sound_synthesis import MADE, RATE, sample_of, synthesize_sound
from .timeline import total

F32 = NDArray[np.float32]
BLOCK = 10 * RATE
MOST_SECONDS = 3600
IN_MEMORY_S = 120
"""Longer sounds are mapped from a file, so that an hour of them takes no memory."""
DUCK_S = 0.25
"""how long it takes to give way"""
AHEAD_S = 0.005
"""how early the limiter begins to turn down"""
OVERSAMPLED = 4
SILENCE_LUFS = -70.0
SOUND_FAULT = "‘{}’ is no sound that can be read. Bring a WAV, MP3, FLAC or OGG file."


def decode_sound(data: bytes, name: str) -> F32:
    """All of a sound file as stereo samples (n, 2) at 48 kHz.

    Files whose rate or channels change on their way are brought to one. Raises IntakeError with a sentence.
    """
    gathered = _Gathered()
    try:
        with av.open(io.BytesIO(data), "r") as container:
            if not container.streams.audio:
                raise IntakeError(f"‘{name}’ has no sound in it.")
            # one channel is heard at its level on both sides: mixing it as a centre would take 3 dB away
            alone = container.streams.audio[0].codec_context.channels == 1
            to_stereo = av.AudioResampler(format="fltp", layout="mono" if alone else "stereo", rate=RATE)
            for frame in _frames(container):
                for out in to_stereo.resample(frame):
                    sides = out.to_ndarray().T.astype(np.float32)
                    gathered.add(np.repeat(sides, 2, 1) if alone else sides)
                    if gathered.count > MOST_SECONDS * RATE:
                        raise IntakeError(f"‘{name}’ is longer than an hour. Cut it before you bring it in.")
    except (av.FFmpegError, ValueError, OSError) as error:
        raise IntakeError(SOUND_FAULT.format(name)) from error
    if not gathered.count:
        raise IntakeError(f"‘{name}’ is empty: no sound could be read from it.")
    return gathered.samples()


class _Gathered:
    """Samples as they are decoded: in memory while they are few, then in a file of no name that is mapped into it."""

    def __init__(self) -> None:
        self.count = 0
        self._chunks: list[F32] = []
        self._file: BinaryIO | None = None

    def add(self, samples: F32) -> None:
        samples = np.nan_to_num(np.ascontiguousarray(samples), nan=0.0, posinf=1.0, neginf=-1.0)
        self.count += len(samples)
        if self._file is not None:
            self._file.write(samples.data)
            return
        self._chunks.append(samples)
        if self.count > IN_MEMORY_S * RATE:
            with telling_of_space():
                self._file = tempfile.TemporaryFile()  # noqa: SIM115  (the map holds it)
                for chunk in self._chunks:
                    self._file.write(chunk.data)
            self._chunks.clear()

    def samples(self) -> F32:
        if self._file is None:
            return np.concatenate(self._chunks)
        with telling_of_space():
            self._file.flush()
        return np.memmap(self._file, np.float32, "r", shape=(self.count, 2))


def _frames(container: "av.container.InputContainer") -> "Iterator[av.AudioFrame | None]":
    """Audio frames of a file, then None: damaged packets are left out as long as most can be read."""
    good = bad = 0
    for packet in container.demux(audio=0):
        try:
            for frame in packet.decode():
                good += 1
                frame.pts = None  # times of damaged files run backwards; what follows follows
                yield frame
        except av.InvalidDataError:
            bad += 1
            if bad > 10 + good:
                raise
    yield None


def peaks(samples: F32, per_s: int = 40) -> NDArray[np.float32]:
    """The loudest sample of every so small a piece, for a drawing."""
    step = RATE // per_s
    whole = len(samples) // step * step
    if not whole:
        return np.abs(samples).max(initial=0.0, keepdims=True)[0][:1].astype(np.float32)
    blocks = [samples[at : min(at + BLOCK, whole)] for at in range(0, whole, BLOCK)]  # a block is a number of steps
    return np.concatenate([np.abs(b).reshape(-1, step * 2).max(axis=1) for b in blocks]).astype(np.float32)


@dataclass(frozen=True)
class Mix:
    """All sounds of a cut."""

    cut: Cut
    read_asset: ReadAsset

    @cached_property
    def samples(self) -> int:
        """Number of samples: as long as the picture, to the sample."""
        return self._at(total(self.cut))

    @cached_property
    def _heard(self) -> dict[str, F32]:
        return {}

    def _of(self, sound: Sound) -> F32:
        key = sound.made or sound.asset or ""
        if key not in self._heard:
            if sound.made in MADE:
                self._heard[key] = synthesize_sound(sound.made)
            elif sound.asset:
                self._heard[key] = decode_sound(self.read_asset(sound.asset), sound.name)
            else:
                raise IntakeError(f"‘{sound.name}’ has no sound. Take it out of the cut.")
        return self._heard[key]

    def alone(self, sound: Sound) -> F32:
        """Samples (n, 2) of one sound as it is heard in the mix, from where it begins."""
        return self._part(sound, *self._span(sound))

    def _span(self, sound: Sound) -> tuple[int, int]:
        """Numbers of its first sample in the mix, and of the one after its last."""
        return self._at(sound.start), min(self._at(sound.start + sound.length), self.samples)

    def _part(self, sound: Sound, low: int, high: int) -> F32:
        """Samples (n, 2) of one sound, from number `low` of the mix to before `high`."""
        (first, last), at = self._span(sound), np.arange(low, high)
        return self._piece(sound, at - first) * self._gain(sound, at, first, last)[:, None]

    def raw(self, start: int, count: int) -> F32:
        """Samples (count, 2) from number `start` on, before their loudness is set."""
        out = np.zeros((count, 2), np.float32)
        for sound in self.cut.sounds:
            first, last = self._span(sound)
            low, high = max(start, first), min(start + count, last)
            if low < high:
                out[low - start : high - start] += self._part(sound, low, high)
        return out

    def _piece(self, sound: Sound, at: NDArray[np.int64]) -> F32:
        """Samples of a sound, counted from where it begins to be heard; silence beyond its end."""
        heard = self._of(sound)
        places = at + round(sound.begin_s * RATE)
        if sound.loop:
            return heard[places % len(heard)]
        inside = places < len(heard)
        return np.asarray(np.where(inside[:, None], heard[np.minimum(places, len(heard) - 1)], 0.0), np.float32)

    def _gain(self, sound: Sound, at: NDArray[np.int64], first: int, last: int) -> F32:
        gain = np.full(len(at), 10 ** (sound.gain_db / 20))
        if fade := self._at(sound.fade_in):
            gain *= np.sin(np.pi / 2 * np.clip((at - first) / fade, 0, 1))
        if fade := self._at(sound.fade_out):
            gain *= np.sin(np.pi / 2 * np.clip((last - 1 - at) / fade, 0, 1))
        if sound.duck_db:
            gain *= 10 ** (-sound.duck_db / 20 * self._in_the_way(sound, at))
        return gain.astype(np.float32)

    def _in_the_way(self, sound: Sound, at: NDArray[np.int64]) -> NDArray[np.float64]:
        """Ducking of a sound, 0…1: full while another is heard, with a ramp before and after."""
        found = np.zeros(len(at))
        for other in self.cut.sounds:
            if other.track != sound.track and not other.duck_db:
                first = self._at(other.start)
                last = self._at(other.start + other.length)
                far = np.maximum(first - at, at - last + 1)
                found = np.maximum(found, np.clip(1 - far / (DUCK_S * RATE), 0, 1))
        return found

    def between(self, first: int, last: int) -> Iterator[F32]:
        """Samples of frames `first` to `last`, as `blocks`."""
        low, high = self._at(first), self._at(last + 1)
        at = 0
        for block in self.blocks():
            part = block[max(0, low - at) : max(0, high - at)]
            if len(part):
                yield part
            at += len(block)

    def _at(self, frame: int) -> int:
        return sample_of(frame, self.cut.rate.fraction)

    def blocks(self) -> Iterator[F32]:
        """All samples as they are delivered, in blocks (n, 2): as loud as the cut asks for, no peak above its most."""
        gain = 10 ** (self.gain_db / 20)
        ceiling = 10 ** (self.cut.peak_dbtp / 20)
        margin = 4 * round(AHEAD_S * RATE)
        for start in range(0, self.samples, BLOCK):
            count = min(BLOCK, self.samples - start)
            low, high = max(0, start - margin), min(self.samples, start + count + margin)
            yield limit_peaks(self.raw(low, high - low) * np.float32(gain), ceiling)[start - low : start - low + count]

    @cached_property
    def gain_db(self) -> float:
        """Gain that brings the mix to the loudness of the cut, dB."""
        if self.cut.loudness == "as it is":
            return 0.0
        wanted = float(self.cut.loudness.split()[0])
        found = measure_loudness(
            self.raw(start, min(BLOCK, self.samples - start)) for start in range(0, self.samples, BLOCK)
        )
        return 0.0 if found.lufs <= SILENCE_LUFS else min(40.0, wanted - found.lufs)


def true_peaks(samples: F32) -> F32:
    """The largest level (n,) around every sample between it and the next, oversampled four times (BS.1770 annex 2)."""
    if not len(samples):
        return np.zeros(0, np.float32)
    fine = np.abs(scipy.signal.resample_poly(samples.astype(np.float64), OVERSAMPLED, 1, axis=0))
    return np.asarray(fine.reshape(len(samples), -1).max(axis=1), np.float32)


def limit_peaks(samples: F32, ceiling: float) -> F32:
    """Samples (n, 2) turned down, both sides alike and early enough, where a true peak would be above `ceiling`."""
    loud = true_peaks(samples)
    if loud.max(initial=0.0) <= ceiling:
        return samples
    need = np.minimum(1.0, ceiling / np.maximum(loud, 1e-9))
    reach = round(AHEAD_S * RATE)
    # the least that is needed anywhere near, then a mean of that: never above what is needed, and without corners
    least = scipy.ndimage.minimum_filter1d(need, 2 * reach + 1, mode="nearest")
    gain = scipy.ndimage.uniform_filter1d(least, reach, mode="nearest")
    return np.asarray(samples * gain[:, None].astype(np.float32), np.float32)


@dataclass(frozen=True, slots=True)
class Loudness:
    """Measurements by EBU R 128."""

    lufs: float
    """integrated loudness; −70 of silence"""
    peak_dbtp: float


def measure_loudness(blocks: Iterator[F32]) -> Loudness:
    """Integrated loudness and true peak of stereo blocks at 48 kHz."""
    graph = av.filter.Graph()
    source = graph.add_abuffer(sample_rate=RATE, format="flt", layout="stereo", time_base=Fraction(1, RATE))
    meter = graph.add("ebur128", "metadata=1")
    sink = graph.add("abuffersink")
    source.link_to(meter)
    meter.link_to(sink)
    graph.configure()
    lufs, peak, at = SILENCE_LUFS, 0.0, 0

    def drained() -> float:
        found = lufs
        while True:
            try:
                out = sink.pull()
            except (av.BlockingIOError, av.EOFError):
                return found
            found = float(out.metadata.get("lavfi.r128.I", found))

    for block in blocks:
        peak = max(peak, float(true_peaks(block).max(initial=0.0)))
        frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(block).reshape(1, -1), format="flt", layout="stereo")
        frame.sample_rate, frame.pts, frame.time_base = RATE, at, Fraction(1, RATE)
        at += len(block)
        source.push(frame)
        lufs = drained()
    source.push(None)
    return Loudness(max(SILENCE_LUFS, drained()), 20 * math.log10(max(peak, 1e-6)))


def wav_of(blocks: Callable[[], Iterator[F32]], count: int) -> Iterator[bytes]:
    """A 16-bit WAV file of `count` stereo samples, piece by piece."""
    size = count * 4
    header = b"RIFF" + (36 + size).to_bytes(4, "little") + b"WAVEfmt " + (16).to_bytes(4, "little")
    header += (1).to_bytes(2, "little") + (2).to_bytes(2, "little") + RATE.to_bytes(4, "little")
    header += (RATE * 4).to_bytes(4, "little") + (4).to_bytes(2, "little") + (16).to_bytes(2, "little")
    yield header + b"data" + size.to_bytes(4, "little")
    for block in blocks():
        yield (np.clip(block, -1, 1) * 32767).round().astype("<i2").tobytes()
